/** An object without one of its fields. */
export function without<T extends object, K extends keyof T>(object: T, key: K): Omit<T, K> {
  const rest: Partial<T> = { ...object };
  delete rest[key];
  return rest as Omit<T, K>;
}

/** Some fields of an object; `undefined` takes a field away. */
export type Change<T> = { [K in keyof T]?: T[K] | undefined };

/** An object with some of its fields changed. */
export function changed<T extends object>(object: T, change: Change<T>): T {
  const fields = Object.entries({ ...object, ...change });
  return Object.fromEntries(fields.filter(([, value]) => value !== undefined)) as T;
}
