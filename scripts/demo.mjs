// `npm run demo`: installs what is missing, builds, starts Zelvar with the tube capper open and prints the address.
import { spawn } from 'node:child_process';
import { createServer } from 'node:net';
import { ensureBuild, ensurePackages } from './ensure.mjs';

process.env.NEXT_TELEMETRY_DISABLED = '1';
ensurePackages();
ensureBuild();

const isFree = (port) =>
  new Promise((resolve) => {
    const server = createServer()
      .once('error', () => resolve(0))
      .listen(port, '127.0.0.1', () => {
        const address = server.address();
        server.close(() => resolve(address.port));
      });
  });
const wanted = Number(process.env.PORT) || 3000;
const port = (await isFree(wanted)) || (await isFree(0));
const server = spawn(
  process.execPath,
  ['node_modules/next/dist/bin/next', 'start', '-H', '127.0.0.1', '-p', String(port)],
  { stdio: ['ignore', 'ignore', 'inherit'] },
);
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => server.kill('SIGTERM'));
server.on('exit', (code) => process.exit(code ?? 0));
const url = `http://127.0.0.1:${port}`;
for (let tries = 0; ; tries++) {
  try {
    if ((await fetch(url)).ok) break;
  } catch {
    if (tries > 240) {
      console.error('Zelvar did not start.');
      server.kill('SIGTERM');
      process.exit(1);
    }
  }
  await new Promise((r) => setTimeout(r, 250));
}
console.log(`Zelvar with the tube capper: ${url}/?open=tube-capper`);
console.log('Ctrl+C ends it.');
