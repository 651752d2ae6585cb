import { fireEvent, screen, waitFor } from '@testing-library/react';
import { expect, test, vi } from 'vitest';
import { aDevice, aSignal } from '../testing';
import { answering, show, where } from '../testing-dom';
import { SearchDialog } from './SearchDialog';

const DEVICES = [
  aDevice({
    device: 'tower',
    name: 'Water tower',
    signals: [aSignal({ signal: 'level', name: 'Water level' })],
  }),
  aDevice({ device: 'larder', name: 'Tea room fridge', signals: [aSignal({ signal: 'temp', name: 'Air' })] }),
];

const open = async (onClose = vi.fn()) => {
  answering({ 'GET /sites/marlbeck/now': { items: DEVICES } });
  show(<SearchDialog onClose={onClose} />);
  const field = screen.getByLabelText('Device, signal, page or action');
  const look = (words: string) => fireEvent.change(field, { target: { value: words } });
  const names = () => screen.queryAllByRole('button').map((item) => item.firstChild?.textContent);
  look('tower');
  await waitFor(() => expect(screen.getByText('Water tower')).toBeTruthy());
  return { field, look, names, onClose };
};

const NAMES = (found: (string | null | undefined)[]) =>
  found.map((text) => text?.split(/device|signal|page|action|conversion/)[0]);

test('all words have to be there, in name or code', async () => {
  const { look, names } = await open();
  look('fridge');
  expect(NAMES(names())).toEqual(['Tea room fridge']);
  look('larder temp');
  expect(NAMES(names())).toEqual(['Air', 'What Air means']);
  look('compare');
  expect(NAMES(names())).toEqual(
    ['Compare ', 'Compare signals'].slice(0, names().length).map((text) => text.split(/signal/)[0]),
  );
  look('nothing of the kind');
  expect(screen.getByText('Nothing of that name here.')).toBeTruthy();
});

test('arrows choose and enter goes there', async () => {
  const { field, look, onClose } = await open();
  look('water');
  fireEvent.keyDown(field, { key: 'ArrowUp' });
  fireEvent.keyDown(field, { key: 'ArrowDown' });
  fireEvent.keyDown(field, { key: 'Enter' });
  await waitFor(() => expect(where()).toBe('/sites/marlbeck/devices/tower?signal=level'));
  expect(onClose).toHaveBeenCalled();
});

test('a click goes there too', async () => {
  const { look } = await open();
  look('tea room');
  fireEvent.click(screen.getByText('Tea room fridge'));
  await waitFor(() => expect(where()).toBe('/sites/marlbeck/devices/larder'));
});
