import { fireEvent, screen, waitFor } from '@testing-library/react';
import { expect, test } from 'vitest';
import { answering, press, REFUSAL, sent, show, type, where } from '../../testing-dom';
import { ViewsMenu } from './ViewsMenu';

const VIEWS = '/sites/marlbeck/views';
const view = (name: string, query: string) => ({
  name,
  query,
  kept_by: 'ann',
  kept_at: '2026-05-01T00:00:00Z',
});
const open = (views: unknown[], at = '/?signals=tower%2Flevel&span=1w', more = {}) => {
  const asked = answering({ [`GET ${VIEWS}`]: { items: views }, ...more });
  show(<ViewsMenu />, { at });
  press('Views');
  return asked;
};
const item = (name: string | RegExp) => screen.findByRole('menuitem', { name });

test('a kept view is looked at: the address says all of it', async () => {
  open([view('Water', 'signals=tower%2Flevel&span=1d&panes=each')]);
  fireEvent.click(await item(/Water/));
  expect(where()).toBe('/?signals=tower%2Flevel&span=1d&panes=each');
});

test('what is shown is kept under a name', async () => {
  const asked = open([], undefined, { [`PUT ${VIEWS}/My%20view`]: view('My view', '') });
  await screen.findByText(/No view is kept yet/);
  fireEvent.click(await item(/Keep this view/));
  type('Name', ' My view ');
  press('Keep it');
  expect(await sent(asked, 'PUT', `${VIEWS}/My%20view`)).toEqual({ query: 'signals=tower%2Flevel&span=1w' });
  await waitFor(() => expect(screen.queryByLabelText('Name')).toBeNull());
});

test('a view that is there is known as such, replaced or removed', async () => {
  const asked = open([view('Water', 'signals=tower%2Flevel&span=1w')], undefined, {
    [`DELETE ${VIEWS}/Water`]: 409,
    [`PUT ${VIEWS}/Water`]: view('Water', ''),
  });
  expect((await item(/Water/)).className).toContain('Mui-selected');
  fireEvent.click(await item(/Keep this view/));
  expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('Water');
  press('Remove it');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  press('Replace it');
  expect(await sent(asked, 'PUT', `${VIEWS}/Water`)).toEqual({ query: 'signals=tower%2Flevel&span=1w' });
});

test('without signals there is nothing to keep', async () => {
  open([], '/');
  expect((await item(/Keep this view/)).getAttribute('aria-disabled')).toBe('true');
});
