import { age } from '../format/age';
import { useServiceNow } from '../format/clock';
import { dateTime } from '../format/time';

/** How long ago something was, with the exact time on hover. Counts by itself. */
export function Age({ at, zone }: { at: string | undefined; zone: string }) {
  const now = useServiceNow();
  if (at === undefined) return <>—</>;
  return (
    <time dateTime={at} title={`${dateTime(at, zone)} ${zone}`}>
      {age(now - Date.parse(at))} ago
    </time>
  );
}
