import { render, screen, cleanup } from '@testing-library/react';
import { afterEach, expect, test } from 'vitest';
import { TraceLine, tracePicture } from './TraceLine';

afterEach(cleanup);

test('a trace says its scale, and is broken where nothing came', () => {
  const means = [1, 2, null, 4, 5];
  render(<TraceLine trace={{ signal: 'level', means } as never} symbol="m" decimals={1} />);
  const drawing = screen.getByRole('img', { name: 'level, last two hours: from 1.0 to 5.0 m' });
  expect(drawing.querySelector('path')?.getAttribute('d')?.match(/M/g)?.length).toBe(2);
});

test('one that does not vary lies in the middle', () => {
  const { up, layers } = tracePicture([7, 7]);
  expect([up, layers[0]]).toMatchObject([
    [6, 8],
    {
      places: [
        [0, 7],
        [1, 7],
      ],
    },
  ]);
});

test.each([undefined, { signal: 'level', means: [null, null] }])(
  'where nothing came that is said: %o',
  (trace) => {
    render(<TraceLine trace={trace as never} symbol="m" decimals={1} />);
    expect(screen.getByText('nothing in the last two hours')).toBeTruthy();
  },
);
