import { cleanup, render } from '@testing-library/react';
import { afterEach, expect, test } from 'vitest';
import { Told } from './Told';

afterEach(cleanup);

test.each([
  ['It sends `levle`, nearly like `level`.', 'It sends levle, nearly like level.', ['levle', 'level']],
  ['Nothing is wrong.', 'Nothing is wrong.', []],
  ['`level`', 'level', ['level']],
  ['One mark ` alone stays.', 'One mark ` alone stays.', []],
  ['', '', []],
])('%j shows its names', (text, shown, names) => {
  const { container } = render(<Told>{text}</Told>);
  expect(container.textContent).toBe(shown);
  expect([...container.querySelectorAll('code')].map((code) => code.textContent)).toEqual(names);
});
