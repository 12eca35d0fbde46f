/** Formulas over time that inputs often follow; the numbers are there to be changed. */
export const signalShapes: readonly (readonly [name: string, formula: string])[] = [
  ['step at 1 s', "if time < 1 's' then 0 else 1"],
  ['ramp from 1 s to 3 s', "max(0, min(1, (time - 1 's')/2 's'))"],
  ['pulses, 0.5 s of every 2 s', "if mod(time, 2 's') < 0.5 's' then 1 else 0"],
  ['sine of 2 Hz', "sin(6.283185307*2 'Hz'*time)"],
  ['noise of seed 1, anew every 10 ms', "mod(43758.5453*sin(12.9898*floor(time/0.01 's') + 78.233*1), 1)"],
  [
    'table 0 s: 0, 1 s: 2, 3 s: 1',
    "if time < 1 's' then 2*(time/1 's') else if time < 3 's' then 2 - 0.5*((time - 1 's')/1 's') else 1",
  ],
];
