/** Signals that one chart can show. */
export const MOST = 20;

/** The signals in an address, such as `?signals=tower/level,larder/temp`, each once. */
export const readSignals = (params: URLSearchParams): string[] =>
  [...new Set((params.get('signals') ?? '').split(',').filter((key) => /^[^/]+\/.+$/.test(key)))].slice(
    0,
    MOST,
  );

/** The address with other signals. */
export function writeSignals(params: URLSearchParams, signals: string[]): URLSearchParams {
  const next = new URLSearchParams(params);
  if (signals.length === 0) next.delete('signals');
  else next.set('signals', signals.slice(0, MOST).join(','));
  return next;
}
