import { cleanup, fireEvent, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, expect, test, vi } from 'vitest';
import { SiteContext } from '../../components/siteContext';
import { A_SITE, needing } from '../../testing';
import { RoomTools, type RoomView } from './RoomTools';

afterEach(cleanup);

const DEVICES = [
  needing('Mast', { concern: 'silent', text: 'silent' }),
  needing('Box', { concern: 'silent', text: 'silent' }, { concern: 'trial', text: 'in trial' }),
  needing('Shed'),
];

const VIEW: RoomView = { words: '', concern: null, by: 'none', form: 'cards' };

function show(view: Partial<RoomView> = {}) {
  const onChange = vi.fn();
  render(
    <SiteContext value={A_SITE}>
      <MemoryRouter>
        <RoomTools devices={DEVICES} site="marlbeck" view={{ ...VIEW, ...view }} onChange={onChange} />
      </MemoryRouter>
    </SiteContext>,
  );
  return onChange;
}

test('each concern there is can be chosen, the most urgent first', () => {
  const onChange = show();
  const chips = screen.getAllByRole('button').filter((one) => one.hasAttribute('aria-pressed'));
  const names = chips.map((chip) => chip.textContent).filter((name) => /\d/.test(name));
  expect(names).toEqual(['Silent 2', 'In trial 1']);
  fireEvent.click(screen.getByText('Silent 2'));
  expect(onChange).toHaveBeenCalledWith({ concern: 'silent' });
});

test('a concern that is chosen is given up by pressing it again', () => {
  const onChange = show({ concern: 'silent' });
  fireEvent.click(screen.getByText('Silent 2'));
  expect(onChange).toHaveBeenCalledWith({ concern: null });
});

test('words, form and a new device', () => {
  const onChange = show();
  fireEvent.change(screen.getByLabelText('Filter'), { target: { value: 'mast' } });
  expect(onChange).toHaveBeenCalledWith({ words: 'mast' });
  fireEvent.click(screen.getByRole('button', { name: 'List' }));
  expect(onChange).toHaveBeenCalledWith({ form: 'list' });
  expect(screen.getByRole('link', { name: 'Add a device' }).getAttribute('href')).toBe(
    '/sites/marlbeck/add-device',
  );
});
