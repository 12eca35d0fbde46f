#!/usr/bin/env node
// Starts the command from a bundle of its sources, which is made when it is missing or older than they are.
import { existsSync, mkdirSync, readdirSync, renameSync, statSync } from 'node:fs';
import { spawnSync } from 'node:child_process';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
const bundle = join(root, 'node_modules', '.cache', 'zelvar-cli', 'zelvar.mjs');

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
    Math.max(newest(join(root, 'core')), newest(join(root, 'cli')), statSync(join(root, 'package-lock.json')).mtimeMs)
  );
};

async function makeBundle() {
  if (!existsSync(join(root, 'node_modules', 'esbuild'))) {
    const { status } = spawnSync('npm', ['ci', '--ignore-scripts', '--silent'], { cwd: root, stdio: ['ignore', 2, 2] });
    if (status !== 0) process.exit(2);
  }
  const { build } = await import('esbuild');
  mkdirSync(dirname(bundle), { recursive: true });
  // written aside first: another command may be starting from the old one
  const aside = `${bundle}.${process.pid}`;
  await build({
    absWorkingDir: root,
    entryPoints: ['cli/main.ts'],
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    outfile: aside,
    logLevel: 'error',
    // packages of the older module kind ask for Node's own modules by require
    banner: {
      js: "import { createRequire as __makeRequire } from 'node:module'; const require = __makeRequire(import.meta.url);",
    },
  });
  renameSync(aside, bundle);
}

if (!isFresh()) await makeBundle();
const { main } = await import(pathToFileURL(bundle).href);
process.exitCode = await main(process.argv.slice(2));
