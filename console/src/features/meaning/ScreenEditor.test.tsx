import { fireEvent, screen } from '@testing-library/react';
import { useState } from 'react';
import { expect, test } from 'vitest';
import type { Screen, ValueType } from '../../api/schema';
import { show, type } from '../../testing-dom';
import { ScreenEditor } from './ScreenEditor';

/** An editor that shows what it has made. */
function Editor({ start, of }: { start: Screen; of: ValueType }) {
  const [value, setValue] = useState(start);
  return (
    <>
      <ScreenEditor screen={value} onChange={setValue} type={of} symbol="m" />
      <pre data-testid="made">{JSON.stringify(value)}</pre>
    </>
  );
}
const open = (start: Screen = {}, of: ValueType = 'number') => show(<Editor start={start} of={of} />);
const made = () => JSON.parse(screen.getByTestId('made').textContent) as Screen;

test.each<[string, string, Screen]>([
  ['Lowest possible (m)', '-2,5', { possible: { low: -2.5 } }],
  ['Highest possible (m)', '4', { possible: { high: 4 } }],
  ['Lowest expected (m)', '0', { expected: { low: 0 } }],
  ['Most in a second (m)', '0.5', { fastest_per_s: 0.5 }],
  ['Of how many values', '7', { outlier: { window: 7, threshold: 3 } }],
  ['Values', '-127, 85 65535', { markers: [-127, 85, 65535] }],
  ['Values', '-127,5; 85', { markers: [-127.5, 85] }],
  ['Longer than (s)', '600', { frozen_after_s: 600 }],
  ['Later than (s)', '3600', { late_after_s: 3600 }],
  ['Flag', 'attached', { while: { signal: 'attached', is: true } }],
])('%s "%s" checks it', (label, text, expected) => {
  open();
  type(label, text);
  expect(made()).toEqual(expected);
});

test.each<[Screen, string]>([
  [{ possible: { low: 1 } }, 'Lowest possible (m)'],
  [{ fastest_per_s: 1 }, 'Most in a second (m)'],
  [{ outlier: { window: 7, threshold: 4 } }, 'Of how many values'],
  [{ markers: [1] }, 'Values'],
  [{ while: { signal: 'attached', is: false } }, 'Flag'],
])('%o is no check any more once its field is empty', (start, label) => {
  open(start);
  type(label, '');
  expect(made()).toEqual({});
});

test('one side of a range goes by itself', () => {
  open({ possible: { low: 1, high: 4 } });
  type('Lowest possible (m)', '');
  expect(made()).toEqual({ possible: { high: 4 } });
});

test('how far an outlier lies is asked for once there is one', () => {
  open();
  expect(screen.queryByLabelText('Deviations away')).toBeNull();
  type('Of how many values', '9');
  type('Deviations away', '4.5');
  expect(made()).toEqual({ outlier: { window: 9, threshold: 4.5 } });
});

test('a flag may have to be no', () => {
  open({ while: { signal: 'attached', is: true } });
  fireEvent.click(screen.getByLabelText('is yes'));
  expect(made()).toEqual({ while: { signal: 'attached', is: false } });
});

test('what is no number changes nothing', () => {
  open({ markers: [1] });
  type('Values', '1, two');
  expect(made()).toEqual({ markers: [1] });
});

test.each<[ValueType, string[]]>([
  ['flag', ['Longer than (s)', 'Later than (s)', 'Flag']],
  ['text', ['Longer than (s)', 'Later than (s)', 'Flag']],
  ['position', ['Later than (s)', 'Flag']],
])('a %s has the checks that make sense for it', (of, labels) => {
  open({}, of);
  for (const label of labels) expect(screen.getByLabelText(label)).toBeTruthy();
  expect(screen.queryByLabelText('Lowest possible (m)')).toBeNull();
  expect(screen.queryByLabelText('Longer than (s)') === null).toBe(of === 'position');
});
