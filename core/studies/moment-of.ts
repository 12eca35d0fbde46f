import { convertValue, sameDimension, unitOrUndefined } from '../language/units';
import type { Measured } from './measured';

/**
 * The first moment of a recording at which something comes: `in(ctrl.mode.Press)`, a truth that becomes true, or a number that passes a
 * limit, `spindle.speed > 20 'rad/s'`, straight between its rows. A text says why there is none.
 */
export function momentOf(data: Measured, condition: string): number | string {
  const [, path] = /^in\(\s*([\p{L}_][\p{L}\p{N}_.[\]]*)\s*\)$/u.exec(condition) ?? [];
  if (path !== undefined) return stateMoment(data, path);
  const [, name, sign, number, unit] =
    /^([\p{L}_][\p{L}\p{N}_.[\]]*)\s*(>=|>|<=|<)\s*([-+]?[\d.]+(?:[eE][-+]?\d+)?)\s*(?:'([^']*)')?$/u.exec(condition) ??
    [];
  if (name !== undefined) return limitMoment(data, name, sign, Number(number), unit);
  if (/^[\p{L}_][\p{L}\p{N}_.[\]]*$/u.test(condition)) return limitMoment(data, condition, '>', 0.5, undefined);
  return `${condition}: two recordings are aligned by a state, in(part.chart.State), by a truth, or by a limit, quantity > 2`;
}

function stateMoment({ time, columns }: Measured, path: string): number | string {
  // a chart has the longest name that the path begins with
  const chart = columns
    .filter((c) => c.words && path.startsWith(`${c.name}.`))
    .sort((a, b) => b.name.length - a.name.length)[0];
  if (!chart) return `it has no chart that ${path} is a state of`;
  const state = path.slice(chart.name.length + 1);
  const isIn = (word: string): boolean => word.split(' + ').some((one) => one === state || one.startsWith(`${state}.`));
  const k = chart.words!.findIndex((w, j) => isIn(w) && (j === 0 || !isIn(chart.words![j - 1])));
  return k < 0 ? `it never comes to ${path}` : time[k];
}

function limitMoment(
  { time, columns }: Measured,
  name: string,
  sign: string,
  given: number,
  unit: string | undefined,
): number | string {
  const column = columns.find((c) => c.name === name);
  if (!column) return `it has no ${name}`;
  if (column.words) return `${name} has words: a number is needed`;
  let limit = given;
  if (unit !== undefined && column.unit !== '') {
    const [from, to] = [unitOrUndefined(unit), unitOrUndefined(column.unit)];
    if (!from || !to || !sameDimension(from, to)) return `${name} is in ${column.unit}, not in ${unit}`;
    limit = convertValue(given, from, to);
  }
  const up = sign.startsWith('>');
  const beyond = (x: number): boolean =>
    sign === '>' ? x > limit : sign === '>=' ? x >= limit : sign === '<' ? x < limit : x <= limit;
  const { values } = column;
  for (let k = 0; k < time.length; k++) {
    if (!beyond(values[k])) continue;
    const before = k > 0 ? values[k - 1] : NaN;
    if (!Number.isFinite(before)) return time[k];
    // it was on the other side: the place between
    const share = (limit - before) / (values[k] - before);
    return Number.isFinite(share) ? time[k - 1] + Math.min(1, Math.max(0, share)) * (time[k] - time[k - 1]) : time[k];
  }
  return `${name} never comes ${up ? 'above' : 'below'} ${given}${unit === undefined ? '' : ` ${unit}`}`;
}
