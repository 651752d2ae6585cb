import { describe, expect, it } from 'vitest';
import type { Roster } from '../../api/schema';
import { draftOf, NEW_ROSTER, rosterOf } from './rosterDraft';

const FULL: Roster = {
  name: 'Duty',
  least: 'high',
  order: ['Ann', '+442079460000'],
  also: ['topic:bell'],
  devices: ['fridge'],
  pass_on_min: 5,
  rounds: 2,
  quiet: [
    { days: ['sun'], from: '22:00', to: '06:00' },
    { from: '12:00', to: '13:00' },
  ],
  says_end: false,
  text: '{name}',
  turns: [{ hours: { from: '08:00', to: '17:00' }, order: ['Ben'] }],
  holidays: [{ from: '2026-12-24', to: '2026-12-26', order: ['Cleo'] }],
  absences: [{ who: 'Ann', stand_in: 'Ben', from: '2026-12-07', to: '2026-12-08' }],
};

describe('a roster in a form', () => {
  it('says the same when nothing was changed', () => {
    expect(rosterOf(draftOf(FULL), FULL)).toEqual(FULL);
  });

  it('is not complete without a name, somebody to call, and whole numbers', () => {
    const draft = { ...NEW_ROSTER, name: 'Duty', order: ['Ann'] };
    expect(rosterOf(draft)).toMatchObject({ name: 'Duty', order: ['Ann'], pass_on_min: 10, quiet: [] });
    expect(rosterOf({ ...draft, name: ' ' })).toBeUndefined();
    expect(rosterOf({ ...draft, order: [] })).toBeUndefined();
    expect(rosterOf({ ...draft, rounds: '1.5' })).toBeUndefined();
    expect(rosterOf({ ...draft, passOnMin: '0' })).toBeUndefined();
    expect(rosterOf({ ...draft, quietFrom: '22:00' })).toBeUndefined();
    expect(rosterOf({ ...draft, holidays: [{ from: '', to: '', order: [] }] })).toBeUndefined();
  });
});
