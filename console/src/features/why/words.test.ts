import { describe, expect, it } from 'vitest';
import type { Mend } from '../../api/schema';
import { wayOf } from './words';

describe('the way to what mends it', () => {
  const cases: [Mend, string | undefined][] = [
    [{ action: 'nothing' }, undefined],
    [{ action: 'declare' }, '/sites/marlbeck/arrivals'],
    [{ action: 'issue-key' }, '/sites/marlbeck/devices/tower/sending'],
    [{ action: 'send' }, '/sites/marlbeck/devices/tower/sending'],
    [{ action: 'see-contacts' }, '/sites/marlbeck/devices/tower/contacts'],
    [{ action: 'claim', name: 'levle', into: 'level' }, '/sites/marlbeck/arrivals'],
    [{ action: 'set-clock' }, '/sites/marlbeck/devices/tower/contacts'],
    [{ action: 'see-meaning' }, '/sites/marlbeck/devices/tower/signals/air%3Alow'],
    [{ action: 'commission' }, '/sites/marlbeck/devices/tower/commissioning'],
  ];
  it.each(cases)('of %o', (mend, to) => {
    expect(wayOf({ device: 'tower', signal: 'air:low', mend }, 'marlbeck')?.to).toBe(to);
  });
  it('of a device as a whole leads to the device', () => {
    expect(wayOf({ device: 'tower', mend: { action: 'see-meaning' } }, 'marlbeck')?.to).toBe(
      '/sites/marlbeck/devices/tower',
    );
  });
});
