// Installs what is missing: packages, and for browser tests Debian's Chromium. Nothing else is needed by hand.
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, statSync } from 'node:fs';

const run = (command, args) => {
  const { status, error } = spawnSync(command, args, {
    stdio: ['ignore', 2, 2],
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  });
  if (error) console.error(String(error));
  return status === 0;
};

export function ensurePackages() {
  const stamp = 'node_modules/.package-lock.json';
  const fresh = existsSync(stamp) && statSync(stamp).mtimeMs >= statSync('package-lock.json').mtimeMs;
  const complete = existsSync('node_modules/next/package.json') && existsSync('node_modules/jest/package.json');
  if (complete && (fresh || sameLock(stamp))) return;
  console.error('Installing packages ...');
  if (!run('npm', ['ci', '--ignore-scripts', '--no-audit', '--no-fund'])) {
    console.error('The packages could not be installed.');
    process.exit(1);
  }
}

/** A fresh checkout has newer files than an installation that fits all the same. */
function sameLock(stamp) {
  if (!existsSync(stamp)) return false;
  const packages = (file) => JSON.parse(readFileSync(file, 'utf8')).packages;
  const wanted = packages('package-lock.json');
  const there = packages(stamp);
  return (
    Object.entries(there).every(([path, p]) => wanted[path]?.version === p.version) &&
    Object.keys(wanted)
      .filter((p) => p && !wanted[p].optional)
      .every((p) => there[p])
  );
}

export function ensureChromium() {
  if (['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'].some((p) => existsSync(p))) return;
  console.error('Installing Chromium ...');
  const root = process.getuid?.() === 0;
  const apt = (args) => (root ? run('apt-get', args) : run('sudo', ['-n', 'apt-get', ...args]));
  apt(['update', '-q']);
  if (!apt(['install', '-y', '-q', 'chromium'])) {
    console.error('Chromium could not be installed; install it (Debian: apt-get install chromium) and try again.');
    process.exit(1);
  }
}

/** Builds the application unless a build of these very sources is there. */
export function ensureBuild() {
  const list = spawnSync(
    'find',
    [
      'app',
      'core',
      'store',
      'ui',
      'views',
      'workers',
      'samples',
      'server',
      'next.config.ts',
      'package-lock.json',
      '-newer',
      '.next/BUILD_ID',
      '-type',
      'f',
    ],
    { encoding: 'utf8' },
  );
  if (existsSync('.next/BUILD_ID') && list.status === 0 && list.stdout.trim() === '') return;
  console.error('Building ...');
  if (!run(process.execPath, ['node_modules/next/dist/bin/next', 'build'])) {
    console.error('The build failed.');
    process.exit(1);
  }
}
