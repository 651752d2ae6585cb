/** An object without one of its fields. */
export function without<T extends object, K extends keyof T>(object: T, key: K): Omit<T, K> {
  const rest: Partial<T> = { ...object };
  delete rest[key];
  return rest as Omit<T, K>;
}
