#!/usr/bin/env node
// Starts the command: the sources are TypeScript, which tsx reads.
import { existsSync } from 'node:fs';
import { spawnSync } from 'node:child_process';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = dirname(dirname(fileURLToPath(import.meta.url)));
if (!existsSync(join(root, 'node_modules', 'tsx'))) {
  const { status } = spawnSync('npm', ['ci', '--ignore-scripts', '--silent'], { cwd: root, stdio: ['ignore', 2, 2] });
  if (status !== 0) process.exit(2);
}
const { register } = await import('tsx/esm/api');
register();
const { main } = await import('./main.ts');
process.exitCode = await main(process.argv.slice(2));
