/** One page of a list; `next` is the `after` of the following one. */
export interface Page<T> {
  items: T[];
  next?: string;
}
