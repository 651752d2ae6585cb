import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { expect, test } from 'vitest';
import { A_SITE, aDevice, aSignal } from '../../testing';
import { answering, choose, isDisabled, press, REFUSAL, sent, show, type, where } from '../../testing-dom';
import { SiteSetUpPage } from './SiteSetUpPage';

const SITE = '/sites/marlbeck';
const ANSWERS = {
  [`GET ${SITE}`]: A_SITE,
  [`GET ${SITE}/now`]: {
    items: [
      aDevice({ device: 'tower', name: 'Water tower', interval_s: 30, signals: [aSignal()] }),
      aDevice({ device: 'shed-5', name: 'New bay', interval_s: 3600, state: 'trial', signals: [] }),
    ],
  },
  [`GET ${SITE}/removed`]: { items: [] },
  [`GET ${SITE}/keys`]: { items: [] },
  [`GET ${SITE}/extent`]: { readings: 0 },
};
const open = (answers: Record<string, unknown> = {}) => {
  const asked = answering({ ...ANSWERS, ...answers });
  show(<SiteSetUpPage />, { at: `${SITE}/set-up`, route: `${SITE}/set-up` });
  return asked;
};

test('devices are listed with how they are, and lead to their pages', async () => {
  open();
  const link = await screen.findByRole('link', { name: 'Water tower' });
  expect(link.getAttribute('href')).toBe(`${SITE}/devices/tower`);
  const rows = screen.getAllByRole('row').map((row) =>
    within(row)
      .queryAllByRole('cell')
      .map((cell) => cell.textContent),
  );
  expect(rows).toContainEqual(['Water tower', 'tower', 'fresh', '1', '30 s']);
  expect(rows.find(([name]) => name === 'New bay')?.[2]).toContain('in trial');
});

test.each<[string, () => Promise<void> | void, object]>([
  ['its name', () => type(/Name of the site/, 'Marlbeck'), { name: 'Marlbeck' }],
  ['its place', () => type(/^Position/, '54.5, -2.3'), { position: { latitude: 54.5, longitude: -2.3 } }],
  ['how numbers are written', () => choose('Numbers are written with', /comma/), { decimal_mark: 'comma' }],
])('%s is saved', async (_, change, expected) => {
  const asked = open({ [`PATCH ${SITE}`]: A_SITE });
  await screen.findByText('Water tower');
  await change();
  press('Save');
  expect(await sent(asked, 'PATCH', SITE)).toMatchObject(expected);
  expect(await screen.findByText('Saved.')).toBeTruthy();
});

test('a place that is none cannot be saved, and a refusal is said', async () => {
  open({ [`PATCH ${SITE}`]: 422 });
  await screen.findByText('Water tower');
  type(/^Position/, 'up there');
  expect(isDisabled('Save')).toBe(true);
  type(/^Position/, '54.5, -2.3');
  press('Save');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});

test('the site goes only after its code was typed, and leads away', async () => {
  const asked = open({ [`DELETE ${SITE}?confirm=marlbeck`]: { readings: 0, removed: true } });
  await screen.findByText('Water tower');
  press('Remove this site');
  const dialog = within(await screen.findByRole('dialog'));
  const field = await dialog.findByLabelText(/Type its code/);
  fireEvent.change(field, { target: { value: 'marlbeck' } });
  fireEvent.click(dialog.getByRole('button', { name: 'Remove' }));
  await sent(asked, 'DELETE', `${SITE}?confirm=marlbeck`);
  await waitFor(() => expect(where()).toBe('/'));
});
