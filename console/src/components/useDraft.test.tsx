import { act, renderHook } from '@testing-library/react';
import { expect, test } from 'vitest';
import { useDraft } from './useDraft';

const KEPT = { name: 'Tower', note: '', every: 30 };

const draftOf = (kept: typeof KEPT) => renderHook(({ kept }) => useDraft(kept), { initialProps: { kept } });

test('only what was changed is sent', () => {
  const { result } = draftOf(KEPT);
  expect(result.current.isChanged).toBe(false);
  act(() => result.current.set({ name: 'Water tower' }));
  expect(result.current.changes).toEqual({ name: 'Water tower' });
  act(() => result.current.set({ name: 'Tower' }));
  expect(result.current.isChanged).toBe(false);
});

test('what others change is followed where nothing was changed here', () => {
  const { result, rerender } = draftOf(KEPT);
  act(() => result.current.set({ note: 'by the hut' }));
  rerender({ kept: { ...KEPT, every: 60 } });
  expect(result.current.draft).toEqual({ name: 'Tower', note: 'by the hut', every: 60 });
  expect(result.current.changes).toEqual({ note: 'by the hut' });
  expect(result.current.conflicts).toEqual([]);
});

test('a field that others changed too is told', () => {
  const { result, rerender } = draftOf(KEPT);
  act(() => result.current.set({ name: 'Water tower' }));
  rerender({ kept: { ...KEPT, name: 'Old tower' } });
  expect(result.current.conflicts).toEqual(['name']);
  expect(result.current.draft.name).toBe('Water tower');
  act(() => result.current.reset());
  expect(result.current.draft.name).toBe('Old tower');
  expect(result.current.isChanged).toBe(false);
});

test('saving what was changed makes it what is kept', () => {
  const { result, rerender } = draftOf(KEPT);
  act(() => result.current.set({ every: 10 }));
  rerender({ kept: { ...KEPT, every: 10 } });
  expect(result.current.isChanged).toBe(false);
  expect(result.current.conflicts).toEqual([]);
});
