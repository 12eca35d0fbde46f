/** A table that is looked up by names people write: it knows its own entries only, and nothing of what every object knows. */
export const table = <K extends string, T>(entries: Readonly<Record<K, T>>): Readonly<Record<K, T>> =>
  Object.assign(Object.create(null) as Record<K, T>, entries);
