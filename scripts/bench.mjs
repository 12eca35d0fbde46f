// Bundles bench/ as the application is bundled, so that what is measured is what runs, and runs it: the core, or with `drawing` the built application.
import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { build } from 'esbuild';

const folder = 'node_modules/.cache/zelvar-bench';
const entry = process.argv[2] ?? 'run';
mkdirSync(folder, { recursive: true });
await build({
  entryPoints: [`bench/${entry}.ts`],
  bundle: true,
  platform: 'node',
  format: 'esm',
  packages: 'external',
  outfile: `${folder}/${entry}.mjs`,
  logLevel: 'error',
});
process.exitCode =
  spawnSync(process.execPath, ['--expose-gc', `${folder}/${entry}.mjs`], { stdio: 'inherit' }).status ?? 1;
