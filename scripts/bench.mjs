// Bundles bench/ as the application is bundled, so that what is measured is what runs, and runs it.
import { spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { build } from 'esbuild';

const folder = 'node_modules/.cache/zelvar-bench';
mkdirSync(folder, { recursive: true });
await build({
  entryPoints: ['bench/run.ts'],
  bundle: true,
  platform: 'node',
  format: 'esm',
  packages: 'external',
  outfile: `${folder}/run.mjs`,
  logLevel: 'error',
});
process.exitCode = spawnSync(process.execPath, ['--expose-gc', `${folder}/run.mjs`], { stdio: 'inherit' }).status ?? 1;
