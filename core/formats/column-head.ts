/** `speed [rad/s]`: a name, and the unit where there is one; `x[2]` is a name with an index. */
export function readColumnHead(cell: string): { readonly name: string; readonly unit: string } {
  const text = cell.trim();
  const inner = text.endsWith(']') ? text.slice(0, -1) : undefined;
  const open = inner?.indexOf('[', inner.lastIndexOf(']') + 1) ?? -1;
  if (inner === undefined || open <= 0) return { name: text, unit: '' };
  const [before, unit] = [inner.slice(0, open), inner.slice(open + 1).trim()];
  const isIndex = /\S$/.test(before) && /^[\d\s,]*$/.test(unit);
  return isIndex ? { name: text, unit: '' } : { name: before.trimEnd(), unit: unit === '1' ? '' : unit };
}

/** A number as files have it, with a point or a comma for its fraction; NaN where it is none. */
export function readCellNumber(cell: string): number {
  const text = cell.trim();
  if (text === '') return NaN;
  return Number(/^[-+]?\d+,\d+(e[-+]?\d+)?$/i.test(text) ? text.replace(',', '.') : text);
}
