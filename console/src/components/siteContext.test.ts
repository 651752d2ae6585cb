import { expect, test } from 'vitest';
import { A_SITE } from '../testing';
import { seenBy } from './siteContext';

const ME = { person: 'ann', is_administrator: false, expires_at: '2026-05-01T12:00:00Z' };
const SITE = { ...A_SITE, zone: 'Europe/London', decimal_mark: 'point' as const };

test.each([
  { name: 'nobody known yet', me: undefined, zone: 'Europe/London', mark: 'point' },
  { name: 'who has chosen nothing', me: ME, zone: 'Europe/London', mark: 'point' },
  { name: 'an own zone', me: { ...ME, zone: 'Asia/Tokyo' }, zone: 'Asia/Tokyo', mark: 'point' },
  {
    name: 'an own mark',
    me: { ...ME, decimal_mark: 'comma' as const },
    zone: 'Europe/London',
    mark: 'comma',
  },
])('a site is shown as they want to see it: $name', ({ me, zone, mark }) => {
  expect(seenBy(SITE, me)).toMatchObject({ code: SITE.code, zone, decimal_mark: mark });
});
