import { screen } from '@testing-library/react';
import { useState } from 'react';
import { expect, test } from 'vitest';
import { choose, press, show, type } from '../../testing-dom';
import { SignalRows, toEntry, toNewSignal, type SignalEntry } from './SignalRows';

const BEGIN: SignalEntry[] = [{ id: 1, code: 'level', type: 'number', unit: 'm' }];

function Rows({ onRows }: { onRows: (rows: SignalEntry[]) => void }) {
  const [rows, setRows] = useState(BEGIN);
  return (
    <SignalRows
      rows={rows}
      onChange={(next) => {
        setRows(next);
        onRows(next);
      }}
    />
  );
}

test('signals are added, changed and taken away row by row', async () => {
  let rows = BEGIN;
  show(<Rows onRows={(next) => (rows = next)} />);
  press('Add a signal');
  const codes = screen.getAllByLabelText<HTMLInputElement>(/Signal code/);
  expect(codes.map(({ value }) => value)).toEqual(['level', '']);
  press('Take signal 1 away');
  type(/Signal code/, 'door');
  await choose('Type', /flag/i);
  expect(rows.map(({ code, type: kind }) => `${code}:${kind}`)).toEqual(['door:flag']);
  press('Add a signal');
  expect(rows.map(({ id }) => id)).toEqual([2, 3]);
});

test.each([
  [
    { id: 1, code: 'level', type: 'number' as const, unit: 'm' },
    { code: 'level', type: 'number', unit: 'm' },
  ],
  [
    { id: 1, code: 'n', type: 'number' as const, unit: '' },
    { code: 'n', type: 'number' },
  ],
  [
    { id: 1, code: 'door', type: 'flag' as const, unit: 'm' },
    { code: 'door', type: 'flag' },
  ],
  [
    { id: 1, code: 'l', type: 'number' as const, unit: '', rest: { name: 'Level', low: 0, high: 5 } },
    { code: 'l', type: 'number', name: 'Level', low: 0, high: 5 },
  ],
  [
    { id: 1, code: 'l', type: 'text' as const, unit: '', rest: { name: 'Level', low: 0, high: 5 } },
    { code: 'l', type: 'text', name: 'Level' },
  ],
])('a row is declared: %j', (entry, declared) => {
  expect(toNewSignal(entry)).toEqual(declared);
});

test('what a row does not show is kept', () => {
  const declared = {
    code: 'level',
    type: 'number' as const,
    unit: 'm',
    name: 'Level',
    note: 'float',
    low: 0,
  };
  expect(toNewSignal(toEntry(declared, 0))).toEqual(declared);
});
