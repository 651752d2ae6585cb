import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { Link, MemoryRouter, Route, Routes } from 'react-router';
import { afterEach, expect, test } from 'vitest';
import { PageHeading } from './PageHeading';

afterEach(cleanup);

function show() {
  return render(
    <MemoryRouter initialEntries={['/a']}>
      <Link to="/b">next</Link>
      <Routes>
        <Route path="/a" element={<PageHeading>Lamp room</PageHeading>} />
        <Route path="/b" element={<PageHeading title="Tower">Tower: fresh, 3 s ago</PageHeading>} />
      </Routes>
    </MemoryRouter>,
  );
}

test('a page is named by its heading, or as it says, and the next one has the focus', () => {
  show();
  expect(document.title).toBe('Lamp room – Key Lantern');
  expect(document.activeElement).toBe(document.body);
  fireEvent.click(screen.getByText('next'));
  expect(document.title).toBe('Tower – Key Lantern');
  expect(document.activeElement).toBe(screen.getByRole('heading'));
  cleanup();
  expect(document.title).toBe('Key Lantern');
});
