import { act, cleanup, render, screen } from '@testing-library/react';
import { Profiler } from 'react';
import { MemoryRouter } from 'react-router';
import { afterEach, expect, test } from 'vitest';
import { liveValues } from '../../api/liveValues';
import { SiteContext } from '../../components/siteContext';
import { A_SITE, aDevice, aSignal } from '../../testing';
import { LampCard } from './LampCard';
import { LampLine } from './LampLine';

afterEach(cleanup);

const TOWER = aDevice({
  battery: { signal: 'supply', value: 3.57, symbol: 'V', at: '2026-05-01T12:00:00Z' },
});
const SHED = aDevice({ device: 'shed', name: 'Shed', signals: [aSignal({ signal: 'temp', name: 'Air' })] });

const later = (value: number) => [{ device: 'tower', signal: 'level', at: '2030-05-01T12:00:00Z', value }];

function show(what: React.ReactNode) {
  return render(
    <MemoryRouter>
      <SiteContext value={A_SITE}>{what}</SiteContext>
    </MemoryRouter>,
  );
}

test('a reading reaches the card of its device, and no other renders again', () => {
  const renders: string[] = [];
  show(
    <>
      {[TOWER, SHED].map((device) => (
        <Profiler key={device.device} id={device.device} onRender={(id) => renders.push(id)}>
          <LampCard device={device} site="marlbeck" />
        </Profiler>
      ))}
    </>,
  );
  renders.length = 0;
  act(() => liveValues('marlbeck').takeReadings(later(7.25)));
  expect(screen.getByText('7.25 m')).toBeDefined();
  expect([...new Set(renders)]).toEqual(['tower']);
});

test('a card says what its device says of itself', () => {
  show(<LampCard device={TOWER} site="marlbeck" />);
  expect(screen.getByText('battery 3.57 V')).toBeDefined();
  expect(screen.getByRole('link').getAttribute('href')).toBe('/sites/marlbeck/devices/tower');
});

test('a gateway says what it carries', () => {
  const gateway = aDevice({ signals: [], carries: { devices: 6, fresh: 5 } });
  show(<LampCard device={gateway} site="marlbeck" />);
  expect(screen.getByText('carries 6 devices')).toBeDefined();
  expect(screen.getByText('5 fresh, 1 not')).toBeDefined();
  cleanup();
  show(<LampLine device={gateway} site="marlbeck" />);
  expect(screen.getByText('carries 6, 5 fresh')).toBeDefined();
});

test('a line shows that its device fell silent as soon as the stream says it', () => {
  show(<LampLine device={SHED} site="marlbeck" />);
  expect(screen.getByRole('img', { name: 'Lamp: fresh' })).toBeDefined();
  const since = '2026-05-01T02:14:00Z';
  act(() => liveValues('marlbeck').takePresence({ device: 'shed', presence: 'silent', since }, Date.now()));
  expect(screen.getByRole('img', { name: 'Lamp: silent' })).toBeDefined();
  expect(screen.getByText('silent since 2026-05-01 02:14')).toBeDefined();
});
