#!/usr/bin/env node
// Starts the command from a bundle of its sources, which is made when it is missing or older than they are. What the
// engine compiled of it is kept beside it: compiling took more of a check's time than checking.
import { existsSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { spawnSync } from 'node:child_process';
import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Script } from 'node:vm';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const cache = join(root, 'node_modules', '.cache', 'zelvar-cli');
const bundle = join(cache, 'zelvar.cjs');
// each command compiles what it needs
const command = /^[a-z]+$/.test(process.argv[2] ?? '') ? process.argv[2] : 'help';
const compiled = join(cache, `${command}.${process.version}.${process.arch}.compiled`);

function newest(folder) {
  let time = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    if (entry.isDirectory()) time = Math.max(time, newest(path));
    else if (!entry.name.endsWith('.test.ts')) time = Math.max(time, statSync(path).mtimeMs);
  }
  return time;
}

const isFresh = () => {
  const made = existsSync(bundle) ? statSync(bundle).mtimeMs : 0;
  return (
    made >
    Math.max(
      newest(join(root, 'core')),
      newest(join(root, 'cli')),
      newest(join(root, 'server')),
      statSync(join(root, 'package-lock.json')).mtimeMs,
    )
  );
};

/** Written aside first: another command may be starting from the old one. */
function replaceFile(path, content) {
  const aside = `${path}.${process.pid}`;
  writeFileSync(aside, content);
  renameSync(aside, path);
}

async function makeBundle() {
  if (!existsSync(join(root, 'node_modules', 'esbuild'))) {
    const { status } = spawnSync('npm', ['ci', '--ignore-scripts', '--silent'], { cwd: root, stdio: ['ignore', 2, 2] });
    if (status !== 0) process.exit(2);
  }
  const { build } = await import('esbuild');
  const { outputFiles } = await build({
    absWorkingDir: root,
    entryPoints: ['cli/main.ts'],
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'cjs',
    write: false,
    logLevel: 'error',
  });
  mkdirSync(cache, { recursive: true });
  for (const name of readdirSync(cache)) if (name.endsWith('.compiled')) rmSync(join(cache, name), { force: true });
  replaceFile(bundle, outputFiles[0].contents);
}

/** The exports of the bundle, and what keeps its compiled form once it has run; a form of another engine is not taken. */
function loadBundle() {
  const cachedData = existsSync(compiled) ? readFileSync(compiled) : undefined;
  const source = `(function (exports, require, module) {${readFileSync(bundle, 'utf8')}\n})`;
  const script = new Script(source, { filename: bundle, cachedData });
  const own = { exports: {} };
  script.runInThisContext()(own.exports, createRequire(bundle), own);
  const keep = () => {
    if (!cachedData || script.cachedDataRejected) replaceFile(compiled, script.createCachedData());
  };
  return { exports: own.exports, keep };
}

if (!isFresh()) await makeBundle();
const { exports, keep } = loadBundle();
process.exitCode = await exports.main(process.argv.slice(2));
try {
  if (process.exitCode < 2) keep();
} catch {
  // a folder that cannot be written to only makes the next start slower
}
