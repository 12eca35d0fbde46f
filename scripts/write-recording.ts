import { writeFileSync } from 'node:fs';
import { prepareRun, createRun, isRunnable } from '../core/run';
import { randomFrom } from '../core/numbers/random';
import { normalQuantile } from '../core/studies/statistics';
import { valueOver } from '../core/studies/measured';
import type { Project } from '../core/project/project';
import { tubeCapper } from '../samples/tube-capper';

/**
 * What a bench would have measured of the capper: the model with other friction and resistance, seen through the first-order filters of the
 * sensors (another order than the model's), with noise and the steps of a converter. Seeded: it is always the same.
 */
const friction = 2.9e-4;
const resistance = 1.31;
const [every, filter, seed] = [5e-3, 3e-4, 7];

const project = { ...(tubeCapper as Project), requirements: [], studies: [] };
const setup = project.setups.find((s) => s.name === 'Spindle on the bench')!;
const prepared = prepareRun(project, {
  ...setup,
  recordEvery: 5e-4,
  loopsWhen: '',
  changes: [
    ...setup.changes,
    { id: 'm1', name: 'friction', value: String(friction) },
    { id: 'm2', name: 'R', value: String(resistance) },
  ],
});
if (!isRunnable(prepared)) throw new Error(prepared.problems.map((p) => p.message).join('; '));
const { simulation, recorder } = createRun(prepared);
simulation.advance(Infinity);
const recording = recorder.take();
const time = recording.time.subarray(0, recording.rows);
const random = randomFrom(seed);
const noise = (size: number): number => size * normalQuantile(Math.min(1 - 1e-9, Math.max(1e-9, random())));
const column = (name: string): Float64Array =>
  recording.columns.find((c) => c.name === name)!.values.subarray(0, recording.rows);
/** Through a first-order filter, exactly for what is straight between small steps, then with noise and in steps. */
const sensor = (name: string, size: number, step: number): string[] => {
  const values = column(name);
  const fine = 5e-5;
  let state = values[0];
  const found: string[] = [];
  const perRow = Math.round(every / fine);
  for (let k = 0; k * fine <= setup.stop + 1e-9; k++) {
    if (k % perRow === 0) found.push((Math.round((state + noise(size)) / step) * step).toFixed(5));
    state += (valueOver(time, values, Math.min(k * fine, setup.stop)) - state) * (1 - Math.exp(-fine / filter));
  }
  return found;
};
const speed = sensor('speed', 0.06, 0.02);
const current = sensor('current', 0.015, 0.005);
const rows = speed.map((s, k) => `${(k * every).toFixed(3)},${Number(s)},${Number(current[k])}`);
const csv = `time,rotation [rad/s],current [A]\n${rows.join('\n')}\n`;
writeFileSync(new URL('../samples/capper-measured.csv', import.meta.url), csv);
writeFileSync(
  new URL('../samples/capper-measured.ts', import.meta.url),
  `// Written by scripts/write-recording.ts: what a bench would have measured of the capper, made up and seeded.\nexport const capperMeasured = ${JSON.stringify(csv).replaceAll('\\n', '\n').replace(/^"|"$/g, '`')};\n`,
);
