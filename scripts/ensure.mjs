// Installs what is missing: packages, and for browser tests Debian's Chromium. Nothing else is needed by hand.
import { spawn, spawnSync } from 'node:child_process';
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

/**
 * Compilers for the boards: begun beside other work, as they are large. Without them their tests are left out, and say so. Resolves to whether
 * they are there.
 */
export function ensureCompilers() {
  const wanted = {
    'avr-gcc': ['gcc-avr', 'avr-libc'],
    'arm-none-eabi-gcc': ['gcc-arm-none-eabi', 'libnewlib-arm-none-eabi'],
    cppcheck: ['cppcheck'],
  };
  const missing = Object.entries(wanted).flatMap(([command, packages]) =>
    existsSync(`/usr/bin/${command}`) ? [] : packages,
  );
  if (missing.length === 0) return Promise.resolve(true);
  if (process.getuid?.() !== 0) {
    console.error(`Left out for want of compilers: the boards (Debian: apt-get install ${missing.join(' ')}).`);
    return Promise.resolve(false);
  }
  console.error(`Installing ${missing.join(', ')} ...`);
  return new Promise((resolve) => {
    const install = `apt-get update -q && apt-get install -y -q --no-install-recommends ${missing.join(' ')}`;
    const child = spawn('sh', ['-c', install], {
      stdio: ['ignore', 'ignore', 'pipe'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
    let said = '';
    child.stderr.on('data', (d) => (said += d));
    child.on('error', () => resolve(false));
    child.on('close', (status) => {
      if (status !== 0)
        console.error(`Left out: the boards, as their compilers could not be installed. ${said.trim()}`);
      resolve(status === 0);
    });
  });
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
