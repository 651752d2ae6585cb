import type { Step } from '../../api/schema';

/** Where a step that has not passed can be mended, and how that is called. */
export interface StepMend {
  to: string;
  label: string;
}

/** The way to what mends a step of a device's commissioning; nothing where only time helps. */
export function mendOf(step: Pick<Step, 'code' | 'state'>, device: string): StepMend | undefined {
  if (step.state === 'passed') return undefined;
  const ways: Partial<Record<string, StepMend>> = {
    contacted: { to: `${device}/sending`, label: 'How to send' },
    key: { to: `${device}/sending`, label: 'Issue a key' },
    signals: { to: `${device}/signals`, label: 'See its signals' },
    plausible: { to: `${device}/signals`, label: 'See limits and conversions' },
    clock: { to: `${device}/contacts`, label: 'See what came' },
    interval: { to: `${device}/set-up`, label: 'Change how often it reports' },
  };
  return ways[step.code];
}
