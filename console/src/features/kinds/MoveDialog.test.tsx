import { screen } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import type { Kind } from '../../api/schema';
import { answering, isDisabled, press, REFUSAL, show } from '../../testing-dom';
import { MoveDialog } from './MoveDialog';

const MOVE = '/sites/marlbeck/kinds/shed-sensor/move';
const KIND = { code: 'shed-sensor', revision: 3 } as Kind;

test('what would change is shown before it is changed', async () => {
  const differences = [
    { path: 'devices/shed-1/signals/hum', to: 'declared' },
    { path: 'devices/shed-1/interval_s', from: '30', to: '60' },
    { path: 'devices/shed-2/decoder', from: 'list' },
  ];
  const asked = answering({ [`POST ${MOVE}`]: { differences } });
  const onClose = vi.fn();
  show(<MoveDialog kind={KIND} onClose={onClose} />);
  expect(isDisabled('Move them')).toBe(true);
  await screen.findByText(/hum/);
  expect(screen.getAllByRole('listitem').map((item) => item.textContent)).toEqual([
    '+ devices/shed-1/signals/hum: declared',
    '~ devices/shed-1/interval_s: 30 → 60',
    '\u2212 devices/shed-2/decoder: list',
  ]);
  press('Move them');
  await vi.waitFor(() => expect(onClose).toHaveBeenCalled());
  expect(asked.filter(({ path }) => path === MOVE).map(({ body }) => body)).toEqual([{ dry_run: true }, {}]);
});

test('without a plan nothing can be moved', async () => {
  answering({ [`POST ${MOVE}`]: 409 });
  show(<MoveDialog kind={KIND} onClose={() => undefined} />);
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
  expect(isDisabled('Move them')).toBe(true);
});
