// `npm run mutants -- core/simulate core/verdicts --sample 40`: breaks the core on purpose, one place at a time, and tells
// which breaks no test notices (mutation testing: DeMillo, Lipton and Sayward 1978). Works in copies; nothing here changes.
//   --sample N   so many places, always the same ones (default 200)      --seed S   other places
//   --workers N  copies that work side by side (default 1)                --at file:line  all places of one line
//   --out FILE   the outcome of each as JSON; a run that was stopped goes on from there
//   --seconds N  tests of so many seconds for each place, the nearest first (default 60): the score is rather too low than too high
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { cpSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { mutationSites, sample } from './mutation-sites.mjs';

const { values: options, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    sample: { type: 'string', default: '200' },
    seed: { type: 'string', default: '1' },
    workers: { type: 'string', default: '1' },
    at: { type: 'string' },
    out: { type: 'string' },
    seconds: { type: 'string', default: '60' },
  },
});
const folders = positionals.length > 0 ? positionals : ['core'];
const jest = resolve('node_modules/jest/bin/jest.js');
const cache = 'node_modules/.cache/zelvar-mutants';
const git = (...args) => spawnSync('git', args, { encoding: 'utf8' }).stdout.split('\n').filter(Boolean);
const tracked = git('ls-files', '-co', '--exclude-standard').filter((f) => existsSync(f));
const sources = tracked.filter(
  (f) =>
    f.startsWith('core/') && f.endsWith('.ts') && !/\.test\.ts$|library-texts|-types\.ts$|^core\/testing\//.test(f),
);
const tests = tracked.filter((f) => /^core\/.*\.test\.ts$/.test(f));

/** A place to work in: everything git knows, the packages by a link. */
function workplace() {
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-mutants-'));
  for (const file of tracked.filter((f) => !/^(e2e|views)\//.test(f))) {
    mkdirSync(dirname(join(folder, file)), { recursive: true });
    cpSync(file, join(folder, file));
  }
  symlinkSync(resolve('node_modules'), join(folder, 'node_modules'));
  return folder;
}

const jestArguments = (...more) => [jest, '--selectProjects', 'core', '--runInBand', '--silent', ...more];

/** Runs jest and resolves to 'passed', 'failed' or 'endless'. */
function runTests(folder, files, seconds) {
  return new Promise((done) => {
    const child = spawn(process.execPath, jestArguments('--bail', '--runTestsByPath', ...files), {
      cwd: folder,
      stdio: 'ignore',
    });
    const timer = setTimeout(() => child.kill('SIGKILL'), seconds * 1000);
    child.on('exit', (code) => {
      clearTimeout(timer);
      done(code === 0 ? 'passed' : code === null ? 'endless' : 'failed');
    });
  });
}

/** Which lines each test file runs through, and how long it takes; kept as long as no source changes. */
function coverageOfTests() {
  const hash = createHash('sha256');
  for (const f of [...sources, ...tests]) hash.update(f).update(readFileSync(f));
  const file = join(cache, `${hash.digest('hex').slice(0, 20)}.json`);
  if (existsSync(file)) return JSON.parse(readFileSync(file, 'utf8'));
  mkdirSync(cache, { recursive: true });
  const folder = workplace();
  const found = {};
  for (const test of tests) {
    process.stderr.write(`\rlooking at what ${test} runs through${' '.repeat(40)}`);
    const started = Date.now();
    const { status, stderr } = spawnSync(
      process.execPath,
      jestArguments(
        '--coverage',
        '--coverageProvider=v8',
        '--coverageReporters=json',
        '--coverageDirectory=coverage',
        '--runTestsByPath',
        test,
      ),
      { cwd: folder, encoding: 'utf8' },
    );
    if (status !== 0) throw new Error(`${test} fails as it is:\n${stderr.slice(-2000)}`);
    const seconds = (Date.now() - started) / 1000;
    const report = JSON.parse(readFileSync(join(folder, 'coverage/coverage-final.json'), 'utf8'));
    const lines = {};
    for (const [path, c] of Object.entries(report)) {
      const name = path.slice(folder.length + 1);
      if (!name.startsWith('core/')) continue;
      lines[name] = Object.entries(c.statementMap)
        .filter(([k]) => c.s[k] > 0)
        .map(([, s]) => s.start.line);
    }
    found[test] = { seconds, lines };
    rmSync(join(folder, 'coverage'), { recursive: true, force: true });
  }
  process.stderr.write('\r\x1b[K');
  rmSync(folder, { recursive: true, force: true });
  writeFileSync(file, JSON.stringify(found));
  return found;
}

const inside = (file) => folders.some((f) => file === f || file.startsWith(f.replace(/\/?$/, '/')));
const [atFile, atLine] = options.at?.split(':') ?? [];
const all = sources
  .filter((f) => (atFile ? f === atFile : inside(f)))
  .flatMap((f) => mutationSites(f, readFileSync(f, 'utf8')))
  .filter((s) => !atLine || s.line === Number(atLine));
const chosen = sample(all, atFile ? Infinity : Number(options.sample), Number(options.seed));
const coverage = coverageOfTests();
const covered = Object.fromEntries(
  Object.entries(coverage).map(([test, c]) => [
    test,
    new Map(Object.entries(c.lines).map(([file, lines]) => [file, new Set(lines)])),
  ]),
);
const folderOf = (file) => file.split('/').slice(0, 2).join('/');

/** Tests that run through a line: those beside it first, then the quick ones. */
const testsOf = ({ file, line }) =>
  tests
    .filter((t) => covered[t]?.get(file)?.has(line))
    .sort(
      (a, b) =>
        Number(folderOf(b) === folderOf(file)) - Number(folderOf(a) === folderOf(file)) ||
        coverage[a].seconds - coverage[b].seconds,
    );

async function outcomeOf(folder, site) {
  const source = readFileSync(site.file, 'utf8');
  const files = testsOf(site);
  if (files.length === 0) return 'untested';
  writeFileSync(join(folder, site.file), source.slice(0, site.start) + site.text + source.slice(site.end));
  try {
    // one after the other, as the first that fails is enough
    let spent = 0;
    for (let k = 0; k < files.length && spent < Number(options.seconds);) {
      let next = k;
      let seconds = 0;
      while (next < files.length && (next === k || seconds + coverage[files[next]].seconds < 25))
        seconds += coverage[files[next++]].seconds;
      const result = await runTests(folder, files.slice(k, next), 30 + 5 * seconds);
      if (result !== 'passed') return result;
      k = next;
      spent += seconds;
    }
    return 'unnoticed';
  } finally {
    writeFileSync(join(folder, site.file), source);
  }
}

const same = (a, b) => a.file === b.file && a.start === b.start && a.end === b.end && a.text === b.text;
const before = options.out && existsSync(options.out) ? JSON.parse(readFileSync(options.out, 'utf8')) : [];
const outcomes = before.filter((o) => chosen.some((site) => same(o, site)));
const queue = chosen.filter((site) => !outcomes.some((o) => same(o, site)));
await Promise.all(
  Array.from({ length: Number(options.workers) }, async () => {
    const folder = workplace();
    for (let site = queue.shift(); site; site = queue.shift()) {
      const outcome = await outcomeOf(folder, site);
      outcomes.push({ ...site, outcome });
      const source = readFileSync(site.file, 'utf8').split('\n')[site.line - 1].trim();
      console.log(`${outcome.padEnd(9)} ${site.file}:${site.line}  ${site.what}    ${source.slice(0, 90)}`);
      if (options.out) writeFileSync(options.out, JSON.stringify(outcomes, null, 1));
    }
    rmSync(folder, { recursive: true, force: true });
  }),
);

const noticed = (o) => o.outcome === 'failed' || o.outcome === 'endless';
console.log(`\n${'folder'.padEnd(22)}places  noticed`);
for (const folder of [...new Set(outcomes.map((o) => folderOf(o.file)))].sort()) {
  const own = outcomes.filter((o) => folderOf(o.file) === folder);
  const share = (100 * own.filter(noticed).length) / own.length;
  console.log(`${folder.padEnd(22)}${String(own.length).padStart(6)}  ${share.toFixed(0).padStart(5)} %`);
}
const share = (100 * outcomes.filter(noticed).length) / outcomes.length;
console.log(
  `${'all'.padEnd(22)}${String(outcomes.length).padStart(6)}  ${share.toFixed(0).padStart(5)} %   of ${all.length} places`,
);
