import { useState } from 'react';

/** A form over something that is kept: it follows what is kept, but for what was changed in the form. */
export interface Draft<T> {
  /** What the form shows. */
  draft: T;
  /** Changes some fields. */
  set: (change: Partial<T>) => void;
  /** The fields that differ from what is kept: what has to be sent. */
  changes: Partial<T>;
  isChanged: boolean;
  /** Fields that somebody else changed since they were changed here. */
  conflicts: (keyof T)[];
  /** Shows what is kept again. */
  reset: () => void;
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

export function useDraft<T extends object>(kept: T): Draft<T> {
  const [edits, setEdits] = useState<Partial<T>>({});
  // What was kept of a field when it was first changed here.
  const [bases, setBases] = useState<Partial<T>>({});
  const set = (change: Partial<T>) => {
    const fresh = (Object.keys(change) as (keyof T)[]).filter((field) => !(field in bases));
    if (fresh.length > 0)
      setBases((old) => ({ ...old, ...Object.fromEntries(fresh.map((field) => [field, kept[field]])) }));
    setEdits((old) => ({ ...old, ...change }));
  };
  const fields = (Object.keys(edits) as (keyof T)[]).filter((field) => !same(edits[field], kept[field]));
  return {
    draft: { ...kept, ...edits },
    set,
    changes: Object.fromEntries(fields.map((field) => [field, edits[field]])) as Partial<T>,
    isChanged: fields.length > 0,
    conflicts: fields.filter((field) => field in bases && !same(bases[field], kept[field])),
    reset: () => {
      setEdits({});
      setBases({});
    },
  };
}
