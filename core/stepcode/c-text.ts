/** Numbers, comments and lines of C, at most 80 columns wide. */

/** Columns of a line. */
export const widest = 80;

/** The shortest decimal that is this number in single precision. */
export function floatText(exact: number): string {
  const value = Math.fround(exact);
  if (Number.isNaN(value)) return 'NAN';
  if (!Number.isFinite(value)) return value > 0 ? 'INFINITY' : '-INFINITY';
  for (let digits = 1; digits <= 9; digits++) {
    const short = Number(value.toPrecision(digits));
    if (Math.fround(short) !== value) continue;
    const text = String(short);
    return `${/[.e]/.test(text) ? text.replace('e+', 'e') : `${text}.0`}f`;
  }
  return `${value}f`;
}

/** The shortest decimal that is this number in double precision. */
export function doubleText(value: number): string {
  if (Number.isNaN(value)) return 'NAN';
  if (!Number.isFinite(value)) return value > 0 ? 'INFINITY' : '-INFINITY';
  return /[.e]/.test(String(value)) ? String(value).replace('e+', 'e') : `${value}.0`;
}

export const capital = (name: string): string => name.charAt(0).toUpperCase() + name.slice(1);
export const sentence = (t: string): string => `${capital(t)}${/[.!?]$/.test(t) ? '' : '.'}`;
/** What a comment may hold. */
export const ascii = (t: string): string =>
  t.replace(/\*\//g, '* /').replace(/\/\*/g, '/ *').replace(/\?\?/g, '? ?').replace(/\s+/g, ' ').replace(/\\$/g, '');

export function commented(t: string, indent: number): string[] {
  if (t === '') return [];
  const pad = '    '.repeat(indent);
  const all = t.split('\n').flatMap((line) => filled(ascii(line), widest - pad.length - 6));
  return all.length === 1 ? [`${pad}/* ${all[0]} */`] : [`${pad}/*`, ...all.map((l) => `${pad} * ${l}`), `${pad} */`];
}

export function filled(t: string, width: number): string[] {
  const found: string[] = [];
  let line = '';
  for (const word of t.split(' ')) {
    if (line !== '' && line.length + 1 + word.length > width) {
      found.push(line);
      line = word;
    } else line = line === '' ? word : `${line} ${word}`;
  }
  return [...found, line];
}

/** Breaks at spaces, at the outermost brackets where that is enough. */
export function wrapped(t: string, indent: number): string[] {
  const pad = '    '.repeat(indent);
  if (pad.length + t.length <= widest) return [pad + t];
  const found: string[] = [];
  let rest = t;
  let lead = pad;
  while (lead.length + rest.length > widest) {
    const room = widest - lead.length;
    let [depth, best, score] = [0, -1, Infinity];
    for (let k = 0; k < Math.min(room + 1, rest.length); k++) {
      if (rest[k] === '(' || rest[k] === '[') depth++;
      if (rest[k] === ')' || rest[k] === ']') depth--;
      if (rest[k] !== ' ' || k === 0) continue;
      const next = rest.slice(k + 1, k + 4);
      const isLogic = next.startsWith('&& ') || next.startsWith('|| ');
      const isSign = /^([-+*/?:<>]|[<>=!]=) /.test(next);
      if (rest[k - 1] !== ',' && !isLogic && !isSign) continue;
      // as far to the right as it goes, but rather outside of brackets, and between conditions
      const price = depth * 24 - k + (isLogic ? -30 : 0);
      if (price <= score) [best, score] = [k, price];
    }
    if (best < 0) best = rest.indexOf(' ', room);
    if (best < 0) break;
    found.push(lead + rest.slice(0, best));
    rest = rest.slice(best + 1);
    lead = `${pad}    `;
  }
  return [...found, lead + rest];
}
