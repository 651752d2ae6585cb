import { fireEvent, screen } from '@testing-library/react';
import { act, useState } from 'react';
import { beforeEach, expect, test, vi } from 'vitest';
import type { AlarmCounts } from '../api/schema';
import { show } from '../testing-dom';
import { setRings, useRinging } from './ringing';

const tones: number[] = [];
beforeEach(() => {
  tones.length = 0;
  localStorage.clear();
  const node = { connect: () => node, gain: { setValueAtTime: vi.fn(), setTargetAtTime: vi.fn() } };
  vi.stubGlobal(
    'AudioContext',
    class {
      currentTime = 0;
      destination = {};
      createGain = () => node;
      createOscillator = () => ({
        connect: () => node,
        frequency: { setValueAtTime: (hz: number) => tones.push(hz) },
        start: vi.fn(),
        stop: vi.fn(),
      });
    },
  );
});

const QUIET: AlarmCounts = { low: 0, medium: 0, high: 0, urgent: 0 };

function Counting({ steps }: { steps: AlarmCounts[] }) {
  const [at, setAt] = useState(0);
  useRinging(steps[at]);
  return <button onClick={() => setAt((old) => old + 1)}>next</button>;
}

/** How many tones there are after each step. */
function heard(steps: AlarmCounts[]): number[] {
  show(<Counting steps={steps} />);
  const counted = [tones.length];
  for (let step = 1; step < steps.length; step++) {
    fireEvent.click(screen.getByText('next'));
    counted.push(tones.length);
  }
  return counted;
}

test('a browser that was not asked to is quiet', () => {
  expect(heard([QUIET, { ...QUIET, urgent: 1 }])).toEqual([0, 0]);
});

test('it rings when more wait, longer if they are urgent, and not when somebody has answered', () => {
  act(() => setRings(true));
  const one = { ...QUIET, high: 1 };
  const two = { ...QUIET, high: 1, urgent: 1 };
  // What waits when the page is opened is on the page.
  expect(heard([one, two, one, one, { ...one, low: 1 }])).toEqual([0, 6, 6, 6, 8]);
});

test('one that takes the place of another rings too', () => {
  act(() => setRings(true));
  expect(
    heard([
      { ...QUIET, low: 1 },
      { ...QUIET, medium: 1 },
    ]),
  ).toEqual([0, 2]);
});
