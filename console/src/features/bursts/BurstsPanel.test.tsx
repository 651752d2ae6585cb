import { fireEvent, screen, waitFor } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import { aSignal } from '../../testing';
import { answering, choose, isDisabled, press, REFUSAL, show } from '../../testing-dom';
import { around } from './around';
import BurstsPanel from './BurstsPanel';

const FROM = Date.parse('2026-05-01T08:00:00Z');
const HOUR = 3_600_000;
const DAY = { from: FROM, to: FROM + 24 * HOUR };
const PATH = '/sites/marlbeck/devices/viaduct/signals/strain/bursts';
const burst = (hour: number, most: number | undefined, doubtful = 0) => {
  const at = (ms: number) => new Date(FROM + hour * HOUR + ms).toISOString();
  const extremes =
    most === undefined ? {} : { min: { value: -0.5, at: at(4) }, max: { value: most, at: at(2_000) } };
  return { from: at(0), to: at(4_000), count: 1_000, doubtful, ...extremes };
};
const signals = ['strain', 'accel'].map((signal) => ({
  ...aSignal({ signal, name: signal, symbol: 'μm/m', decimals: 1 }),
  device: 'viaduct',
  interval_s: 900,
}));

function open(items: unknown[], { span = DAY, more = {}, some = signals.slice(0, 1) } = {}) {
  const asked = answering({ [`GET ${PATH}`]: { items, ...more } });
  const [onZoom, onClose] = [vi.fn(), vi.fn()];
  show(<BurstsPanel signals={some} span={span} zone="UTC" onZoom={onZoom} onClose={onClose} />);
  return { asked, onZoom, onClose };
}

test('each burst says when, how long, from least to most, and how much of it is doubtful', async () => {
  const { onZoom } = open([burst(3, 22.1), burst(2, 85, 40), burst(1, undefined, 1_000)]);
  const items = await screen.findAllByRole('listitem');
  const texts = items.map((item) => item.textContent);
  expect(texts[0]).toBe(
    '2026-05-01 11:00:00, 4.0 s−0.5\u202fμm/m at 11:00:00.004 to 22.1\u202fμm/m at 11:00:02.0001\u202f000 samples',
  );
  expect(texts[1]).toContain('1\u202f000 samples, 40 of them doubtful');
  expect(texts[2]).toContain('Not to be trusted');
  expect(screen.getByText('3 in this time, the last first.')).toBeTruthy();
  const [first] = screen.getAllByRole('button', { name: /11:00:00/ });
  if (first) fireEvent.click(first);
  expect(onZoom).toHaveBeenCalledWith(around(burst(3, 1)));
});

test('the burst that is shown is marked, and the list stays', async () => {
  open([burst(3, 22.1), burst(2, 85)], { span: around(burst(2, 85)) });
  const marked = await screen.findByRole('button', { current: true });
  expect(marked.textContent).toContain('10:00:00');
  expect(isDisabled('List the time shown')).toBe(true);
});

test('where there are more than can be listed it is said', async () => {
  open([burst(3, 22.1)], { more: { next: '2026-05-01T11:00:00Z' } });
  expect(await screen.findByText(/The last 1 of this time/)).toBeTruthy();
});

test('from a time with several the next one is the first of them', async () => {
  const { asked, onZoom } = open([burst(1, 5), burst(2, 6)]);
  press('Next burst');
  await waitFor(() => expect(onZoom).toHaveBeenCalledWith(around(burst(1, 5))));
  expect(asked.at(-1)?.path).toContain('order=ascending&limit=2');
});

test('from a burst the previous one is the last before it', async () => {
  const span = around(burst(5, 1));
  const asked: string[] = [];
  const inside = { items: [burst(5, 1)] };
  const before = { items: [burst(4, 9)] };
  vi.stubGlobal(
    'fetch',
    vi.fn((url: string) => {
      asked.push(url);
      const isInside = url.includes(`from=${span.from / 1000}&to=${span.to / 1000}`);
      return Promise.resolve(new Response(JSON.stringify(isInside ? inside : before)));
    }),
  );
  const onZoom = vi.fn();
  show(<BurstsPanel signals={signals} span={span} zone="UTC" onZoom={onZoom} onClose={vi.fn()} />);
  press('Previous burst');
  await waitFor(() => expect(onZoom).toHaveBeenCalledWith(around(burst(4, 9))));
  expect(asked.some((url) => url.includes(`to=${span.from / 1000}&order=descending&limit=1`))).toBe(true);
});

test('where there is none any more it is said, and so is a refusal', async () => {
  open([]);
  expect(await screen.findByText('No readings in this time.')).toBeTruthy();
  press('Previous burst');
  expect(await screen.findByText('There is no earlier burst.')).toBeTruthy();
  answering({ [`GET ${PATH}`]: 422 });
  press('Next burst');
  expect(await screen.findByText(new RegExp(REFUSAL.detail))).toBeTruthy();
});

test('another signal has bursts of its own, and the panel is closed', async () => {
  const { asked, onClose } = open([burst(1, 5)], { some: signals });
  await screen.findByText('1 in this time, the last first.');
  await choose('Signal', 'accel');
  await waitFor(() => expect(asked.at(-1)?.path).toContain('/signals/accel/bursts?'));
  press('Close');
  expect(onClose).toHaveBeenCalled();
});
