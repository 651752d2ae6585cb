import { expect, test } from 'vitest';
import { expand } from './expand';

test('a range stands for many names', () => {
  expect(expand('shed-{1..3}')).toEqual(['shed-1', 'shed-2', 'shed-3']);
  expect(expand('bay {9..10} left')).toEqual(['bay 9 left', 'bay 10 left']);
  expect(expand('shed-{1..500}')).toHaveLength(500);
});

test.each(['shed', 'shed {left}', ''])('%s is one name', (name) => expect(expand(name)).toEqual([name]));

test.each(['shed-{3..1}', 'shed-{a..b}', 'shed-{1..501}', 'shed-{..}'])(
  '%s is refused, not taken for a name',
  (name) => expect(expand(name)).toBeUndefined(),
);
