// `npm test`: installs what is missing, checks types, style and structure, runs unit and browser tests, and adds them up.
import { spawn } from 'node:child_process';
import { readFileSync, rmSync } from 'node:fs';
import { setPriority, tmpdir } from 'node:os';
import { join } from 'node:path';
import { ensureBuild, ensureChromium, ensureCompilers, ensurePackages } from './ensure.mjs';

process.env.NEXT_TELEMETRY_DISABLED = '1';
ensurePackages();
ensureChromium();
// types are looked at below
process.env.ZELVAR_TYPES_CHECKED = '1';
const compilers = ensureCompilers();
ensureBuild();

let passed = 0;
let failed = 0;
const begun = performance.now();
const since = (from) => `${Math.round((performance.now() - from) / 1000)} s`;
/** Runs one check; what it has to say is printed under its title once it is over. */
const check = ([title, ...args]) =>
  new Promise((resolve) => {
    const from = performance.now();
    const child = spawn(process.execPath, args, { stdio: ['ignore', 'pipe', 'pipe'] });
    let said = '';
    child.stdout.on('data', (d) => (said += d));
    child.stderr.on('data', (d) => (said += d));
    child.on('close', (status) => {
      console.log(`\n== ${title}, ${since(from)}\n${said}`);
      if (status === 0) passed++;
      else failed++;
      resolve();
    });
  });
/** One after the other. */
const inTurn = async (checks) => {
  for (const c of checks) await check(c);
};
await Promise.all([
  check(['style', 'node_modules/eslint/bin/eslint.js', '.', '--max-warnings', '0']),
  inTurn([
    ['types', 'node_modules/typescript/bin/tsc', '--noEmit'],
    ['format', 'node_modules/prettier/bin/prettier.cjs', '--check', '.', '--log-level', 'warn'],
    [
      'structure',
      'node_modules/dependency-cruiser/bin/dependency-cruise.mjs',
      ...['core', 'cli', 'store', 'workers', 'views', 'ui', 'app', 'samples'],
      ...['--config', '.dependency-cruiser.cjs'],
    ],
  ]),
]);

/** One run of tests, added up; what it has to say is printed under its title once it is over. */
const run = (title, projects, more) =>
  new Promise((resolve) => {
    const file = join(tmpdir(), `zelvar-jest-${process.pid}-${projects[0]}.json`);
    const from = performance.now();
    const jest = ['node_modules/jest/bin/jest.js', '--selectProjects', ...projects, '--json', `--outputFile=${file}`];
    const child = spawn(process.execPath, [...jest, ...more], { stdio: ['ignore', 'ignore', 'pipe'] });
    // its workers are as patient as it is
    if (projects.includes('core')) setPriority(child.pid, 19);
    let said = '';
    child.stderr.on('data', (d) => (said += d));
    child.on('close', (status) => {
      console.log(`\n== ${title}, ${since(from)}\n${said}`);
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
      resolve();
    });
  });
await compilers;
// a browser waits most of the time for what it shows: unit tests take what it leaves, and never what it needs
await Promise.all([
  run('unit tests', ['core', 'interface'], ['--maxWorkers=100%']),
  run('browser tests', ['browser'], ['--runInBand']),
]);
console.log(`\nChecked in ${since(begun)}`);
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed === 0 ? 0 : 1);
