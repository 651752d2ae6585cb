import { screen } from '@testing-library/react';
import { expect, test } from 'vitest';
import type { Link as DeviceLink } from '../../api/schema';
import { answering, show } from '../../testing-dom';
import { CarriedSection, sentence } from './CarriedSection';

const AT = { at: '2026-05-01T12:00:00Z' };
const GATEWAY = '/sites/marlbeck/devices/shed-gw';
const link = (
  device: string,
  day: Partial<DeviceLink['day']>,
  more: Partial<DeviceLink> = {},
): DeviceLink => ({
  device,
  name: `Sensor ${device}`,
  presence: 'fresh',
  day: { received: 0, lost: 0, repeated: 0, restarted: 0, ...day },
  hours: [],
  ...more,
});

test.each([
  [
    'no numbers',
    [link('a', { received: 9 })],
    'No message number is known yet, so losses cannot be counted.',
  ],
  [
    'nothing lost',
    [link('a', { received: 10, delivery_ratio: 1 }), link('b', { received: 10, delivery_ratio: 1 })],
    '100.0 % of all messages came in the last 24 hours.',
  ],
  [
    'one loses',
    [
      link('a', { received: 100, delivery_ratio: 1 }),
      link('b', { received: 77, lost: 23, delivery_ratio: 0.77 }),
    ],
    '88.5 % of all messages came in the last 24 hours; fewest from b, 77.0 %.',
  ],
  [
    'hardly any',
    [link('a', { received: 9_999, lost: 1, delivery_ratio: 0.9999 })],
    '99.99 % of all messages came in the last 24 hours.',
  ],
])('in a sentence: %s', (_, links, told) => {
  expect(sentence(links).replaceAll('\u202f', ' ')).toBe(told);
});

test('what is carried stands in a table, with the way to each', async () => {
  answering({
    [`GET ${GATEWAY}/link`]: link('shed-gw', {}),
    [`GET ${GATEWAY}/carried`]: {
      items: [
        link(
          'shed-1',
          { received: 90, lost: 10, repeated: 3, delivery_ratio: 0.9 },
          {
            identity: '0a1b',
            battery: { ...AT, signal: 'battery', value: 2.9, symbol: 'V' },
            quality: { ...AT, signal: 'rssi', value: -112, symbol: 'dBm' },
          },
        ),
      ],
    },
    [`GET ${GATEWAY}/joining`]: {},
  });
  show(<CarriedSection device="shed-gw" />);
  const way = await screen.findByRole('link', { name: 'Sensor shed-1' });
  expect(way.getAttribute('href')).toBe('/sites/marlbeck/devices/shed-1');
  expect(screen.getByText('0a1b')).toBeTruthy();
  expect(screen.getByText('2.9 V')).toBeTruthy();
  expect(screen.getByText('−112 dBm')).toBeTruthy();
  expect(screen.getByText('90.0 %')).toBeTruthy();
});

test('a device that carries none says how it would', async () => {
  answering({
    [`GET ${GATEWAY}/link`]: link('shed-gw', {}),
    [`GET ${GATEWAY}/carried`]: { items: [] },
    [`GET ${GATEWAY}/joining`]: {},
  });
  show(<CarriedSection device="shed-gw" />);
  expect(await screen.findByText(/It carries none/)).toBeTruthy();
});

test('a refusal is told', async () => {
  answering({ [`GET ${GATEWAY}/link`]: 404, [`GET ${GATEWAY}/carried`]: 503 });
  show(<CarriedSection device="shed-gw" />);
  expect(await screen.findByText(/That cannot be so/)).toBeTruthy();
});
