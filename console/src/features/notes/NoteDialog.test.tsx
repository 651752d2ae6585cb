import { screen, waitFor } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import { answering, choose, isDisabled, press, REFUSAL, sent, show, type } from '../../testing-dom';
import { NoteDialog, type NoteDraft } from './NoteDialog';

const NOTES = '/sites/marlbeck/notes';
const FROM = Date.parse('2026-05-03T07:00:00.250Z');
const TOPICS = [
  { about: '', name: 'The whole site' },
  { about: 'tower', name: 'Water tower' },
];
const open = (draft: Partial<NoteDraft> = {}) => {
  const onClose = vi.fn();
  const whole = { about: '', text: '', from: FROM, ...draft };
  show(<NoteDialog site="marlbeck" zone="Europe/London" topics={TOPICS} draft={whole} onClose={onClose} />);
  return onClose;
};

test('a note is written to a time of the site', async () => {
  const asked = answering({ [`POST ${NOTES}`]: {} });
  const onClose = open();
  expect(screen.getByLabelText<HTMLInputElement>(/When, or from when/).value).toBe('2026-05-03 08:00:00');
  expect(isDisabled('Keep it')).toBe(true);
  type(/What happened/, 'Float stuck');
  await choose('About', 'Water tower');
  type(/Until when/, '2026-05-05');
  press('Keep it');
  expect(await sent(asked, 'POST', NOTES)).toEqual({
    about: 'tower',
    // Nobody touched the begin: it keeps its fraction of a second.
    from: '2026-05-03T07:00:00.250Z',
    to: '2026-05-04T23:00:00.000Z',
    text: 'Float stuck',
  });
  await waitFor(() => expect(onClose).toHaveBeenCalled());
});

test('a note that is there is changed, and stays about what is not listed', async () => {
  const asked = answering({ [`PUT ${NOTES}/12`]: {} });
  open({ id: 12, about: 'shed/door', text: 'Left open', to: FROM + 3_600_000 });
  type(/When, or from when/, '2026-05-03 08:30');
  type(/Until when/, '');
  press('Keep it');
  expect(await sent(asked, 'PUT', `${NOTES}/12`)).toEqual({
    about: 'shed/door',
    from: '2026-05-03T07:30:00.000Z',
    text: 'Left open',
  });
});

test.each([
  ['When, or from when', 'soon'],
  ['When, or from when', ''],
  ['Until when', 'later'],
  ['Until when', '2026-05-03 07:59'],
])('"%s" cannot be "%s"', (field, text) => {
  answering({});
  open({ text: 'x' });
  expect(isDisabled('Keep it')).toBe(false);
  type(new RegExp(field), text);
  expect(isDisabled('Keep it')).toBe(true);
});

test('a note is removed', async () => {
  const asked = answering({ [`DELETE ${NOTES}/12`]: {} });
  const onClose = open({ id: 12, text: 'x' });
  press('Remove it');
  await waitFor(() => expect(onClose).toHaveBeenCalled());
  expect(asked.map(({ method, path }) => `${method} ${path}`)).toContain(`DELETE ${NOTES}/12`);
});

test('what the service refuses is said, and the window stays', async () => {
  answering({ [`POST ${NOTES}`]: 422 });
  const onClose = open({ text: 'x' });
  press('Keep it');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  expect(onClose).not.toHaveBeenCalled();
});
