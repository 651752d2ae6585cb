import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { useLocation } from 'react-router';
import { expect, test } from 'vitest';
import { answering, press, sent, show } from '../../testing-dom';
import { SignalsSection } from './SignalsSection';

const SIGNALS = '/sites/marlbeck/devices/tower/signals';
const LEVEL = {
  code: 'level',
  name: 'Water level',
  type: 'number',
  symbol: 'm',
  note: 'by echo',
  meaning: { conversion: { steps: [] } },
};
const SUM = {
  code: 'sum',
  name: 'Sum',
  type: 'number',
  symbol: '',
  note: '',
  meaning: { formula: 'level * 2' },
};
const COUNT = { code: 'count', name: 'Message number', type: 'number', symbol: '', note: '', reserved: true };

/** What the address was given along. */
function Given() {
  return <output data-testid="given">{JSON.stringify(useLocation().state)}</output>;
}
const open = async (answers: Record<string, unknown> = {}) => {
  const asked = answering({ [`GET ${SIGNALS}`]: { items: [LEVEL, SUM, COUNT] }, ...answers });
  show(
    <>
      <SignalsSection device="tower" />
      <Given />
    </>,
  );
  await screen.findByText('Water level');
  return asked;
};

test('signals say what they are and what they mean', async () => {
  await open();
  const rows = screen
    .getAllByRole('row')
    .slice(1)
    .map((row) =>
      within(row)
        .getAllByRole('cell')
        .map((cell) => cell.textContent),
    );
  expect(rows[0]?.slice(0, 6)).toEqual(['level', 'Water level', 'number', 'm', 'converted', 'by echo']);
  expect(rows[1]?.[3]).toBe('—');
  const link = screen.getByRole('link', { name: /What level means/ });
  expect(link.getAttribute('href')).toBe('/sites/marlbeck/devices/tower/signals/level');
});

test('only what is sent can be entered by hand', async () => {
  await open();
  const enter = screen.getAllByRole('button', { name: /^Enter a reading of/ });
  expect(enter.map((button) => button.getAttribute('aria-label'))).toEqual(['Enter a reading of level']);
});

test.each([
  ['Declare a signal', /Declare/],
  ['Edit level', /level/],
  ['Enter a reading of level', /level/i],
  ['How long level is kept', /level/],
])('%s opens its dialog', async (button, says) => {
  await open({ [`GET ${SIGNALS}/level/retention`]: { retention: {}, of: 'none' } });
  press(button);
  expect((await screen.findByRole('dialog')).textContent).toMatch(says);
});

test('a removed signal is offered back', async () => {
  const asked = await open({
    [`GET ${SIGNALS}/level/extent`]: { readings: 3 },
    [`DELETE ${SIGNALS}/level?confirm=level`]: { readings: 3, removed: true },
  });
  press('Remove level');
  const field = await screen.findByLabelText(/Type its code/);
  fireEvent.change(field, { target: { value: 'level' } });
  fireEvent.click(within(screen.getByRole('dialog')).getByRole('button', { name: 'Remove' }));
  await sent(asked, 'DELETE', `${SIGNALS}/level?confirm=level`);
  await waitFor(() =>
    expect(screen.getByTestId('given').textContent).toBe('{"removed":{"device":"tower","signal":"level"}}'),
  );
});
