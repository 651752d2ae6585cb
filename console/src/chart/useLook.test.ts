import { expect, test } from 'vitest';
import { readLook, writeLook } from './useLook';

const PLAIN = { panes: 'unit', under: undefined, nights: false, doubts: false, zone: undefined };

test('the address holds how a chart looks, and nothing where it is as usual', () => {
  expect(readLook(new URLSearchParams())).toEqual(PLAIN);
  const look = { panes: 'pair', under: 'week', nights: true, doubts: true, zone: 'Asia/Kolkata' } as const;
  const address = writeLook(new URLSearchParams('signals=a/b'), look);
  expect(address.toString()).toBe(
    'signals=a%2Fb&panes=pair&under=week&nights=1&doubts=1&zone=Asia%2FKolkata',
  );
  expect(readLook(address)).toEqual(look);
  expect(writeLook(address, { ...PLAIN, panes: 'unit' }).toString()).toBe('signals=a%2Fb');
});

test('what cannot be is as usual', () => {
  expect(readLook(new URLSearchParams('panes=x&under=x&nights=yes&zone=Mars/North'))).toEqual(PLAIN);
});
