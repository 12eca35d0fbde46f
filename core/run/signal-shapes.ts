import { unitOrUndefined } from '../language/units';

/**
 * Formulas over time that inputs often follow, for an input in a unit; the numbers are there to be changed. Those that swing about
 * zero are not offered where the unit has a zero of its own, as degC.
 */
export function signalShapes(unitName: string | undefined): readonly (readonly [name: string, formula: string])[] {
  const unit = unitOrUndefined(unitName);
  const plain = !unit || unitName === '1';
  const of = (value: string): string => (plain ? value : `${value} '${unitName}'`);
  const times = plain ? '' : `*1 '${unitName}'`;
  // a product is in coherent SI
  const scaled = (formula: string): string =>
    plain || unit.scale === 1 ? `${formula}${times}` : `convert(${formula}${times}, "${unitName}")`;
  const steady: readonly (readonly [string, string])[] = [
    ['step at 1 s', `if time < 1 's' then ${of('0')} else ${of('1')}`],
    ['ramp from 1 s to 3 s', `interpolate({1, 3}, {${of('0')}, ${of('1')}}, time)`],
    ['pulses, 0.5 s of every 2 s', `if mod(time, 2 's') < 0.5 's' then ${of('1')} else ${of('0')}`],
    ['table 0 s: 0, 1 s: 2, 3 s: 1', `interpolate({0, 1, 3}, {${of('0')}, ${of('2')}, ${of('1')}}, time)`],
  ];
  if (unit && unit.offset !== 0) return steady;
  return [
    ...steady,
    ['sine of 2 Hz', scaled("sin(6.283185307*2 'Hz'*time)")],
    ['noise of seed 1, anew every 10 ms', scaled("mod(43758.5453*sin(12.9898*floor(time/0.01 's') + 78.233*1), 1)")],
  ];
}
