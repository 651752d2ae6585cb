import { api } from '../../api/client';
import type { Page } from '../../api/page';
import type { CalibrationPair, HandReading, Reading } from '../../api/schema';
import { serviceNow } from '../../format/clock';

/** The sensor's reading beside one by hand is no further away than this, in milliseconds. */
const NEAR = 15 * 60_000;
/** How far back readings by hand are looked for, in milliseconds, and how many of them are taken. */
const BACK = 366 * 86_400_000;
const MOST = 20;

/** The pair of a reading by hand: what the sensor said nearest to it, and what was right; nothing if it said nothing. */
export function pairOf(at: string, readings: Reading[], byHand: Set<string>): CalibrationPair | undefined {
  const right = readings.find((reading) => reading.at === at)?.value;
  const away = (reading: Reading) => Math.abs(Date.parse(reading.at) - Date.parse(at));
  const [nearest] = readings
    .filter((reading) => !byHand.has(reading.at) && typeof reading.value === 'number')
    .toSorted((a, b) => away(a) - away(b));
  const said = nearest?.value;
  return typeof right === 'number' && typeof said === 'number' ? { said, right } : undefined;
}

/** Pairs of a signal, given by its path below the API: of its last readings by hand, each with what the sensor said. */
export async function handPairs(path: string): Promise<CalibrationPair[]> {
  const from = (serviceNow() - BACK) / 1000;
  const entered = await api.get<Page<HandReading>>(`${path}/hand-readings?from=${from}&limit=500`);
  const byHand = new Set(entered.items.map(({ at }) => at));
  const pairs = await Promise.all(
    entered.items.slice(-MOST).map(async ({ at }) => {
      const span = `from=${(Date.parse(at) - NEAR) / 1000}&to=${(Date.parse(at) + NEAR) / 1000}`;
      const near = await api.get<Page<Reading>>(`${path}/readings?${span}&limit=5000`);
      return pairOf(at, near.items, byHand);
    }),
  );
  return pairs.filter((pair) => pair !== undefined);
}
