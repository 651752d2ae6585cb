import { expect, test } from 'vitest';
import { expand } from './expand';

test('a range stands for many names', () => {
  expect(expand('shed-{1..3}')).toEqual(['shed-1', 'shed-2', 'shed-3']);
  for (const name of ['shed', 'shed-{3..1}', 'shed-{a..b}', 'shed-{1..200}'])
    expect(expand(name)).toEqual([name]);
});
