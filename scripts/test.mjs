// `npm test`: installs what is missing, checks types, style and structure, runs unit and browser tests, and adds them up.
import { spawnSync } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureBuild, ensureChromium, ensurePackages } from './ensure.mjs';

process.env.NEXT_TELEMETRY_DISABLED = '1';
ensurePackages();
ensureChromium();
ensureBuild();

let passed = 0;
let failed = 0;
const step = (title, args) => {
  console.log(`\n== ${title}`);
  const { status } = spawnSync(process.execPath, args, { stdio: 'inherit' });
  if (status === 0) passed++;
  else failed++;
};
step('format', ['node_modules/prettier/bin/prettier.cjs', '--check', '.', '--log-level', 'warn']);
step('types', ['node_modules/typescript/bin/tsc', '--noEmit']);
step('style', ['node_modules/eslint/bin/eslint.js', '.', '--max-warnings', '0']);
step('structure', [
  'node_modules/dependency-cruiser/bin/dependency-cruise.mjs',
  'core',
  'cli',
  'store',
  'workers',
  'views',
  'ui',
  'app',
  'samples',
  '--config',
  '.dependency-cruiser.cjs',
]);

for (const [title, projects, more] of [
  ['unit tests', ['core', 'interface'], ['--maxWorkers=100%']],
  ['browser tests', ['browser'], ['--runInBand']],
]) {
  console.log(`\n== ${title}`);
  const file = join(tmpdir(), `zelvar-jest-${process.pid}.json`);
  const { status } = spawnSync(
    process.execPath,
    ['node_modules/jest/bin/jest.js', '--selectProjects', ...projects, '--json', `--outputFile=${file}`, ...more],
    { stdio: ['ignore', 'ignore', 'inherit'] },
  );
  try {
    const result = JSON.parse(readFileSync(file, 'utf8'));
    passed += result.numPassedTests;
    // a file that could not be run at all counts as a failure
    failed += result.numFailedTests + result.numRuntimeErrorTestSuites;
    if (result.numTotalTests === 0) failed++;
  } catch {
    failed++;
  }
  rmSync(file, { force: true });
  if (status !== 0) console.log(`${title} ended with ${status}`);
}
console.log(`\n${passed} passed, ${failed} failed`);
process.exit(failed === 0 ? 0 : 1);
