import { spawn, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import puppeteer, { type Browser, type BrowserContext, type Page } from 'puppeteer-core';

/** Starts what browser tests need: the built application on a free port, and headless Chromium. */
export const chromiumPath =
  ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome'].find((p) => existsSync(p)) ??
  '/usr/bin/chromium';

export const freePort = (): Promise<number> =>
  new Promise((resolve, reject) => {
    const server = createServer();
    server.once('error', reject);
    server.listen(0, '127.0.0.1', () => {
      const address = server.address();
      server.close(() => resolve(typeof address === 'object' && address ? address.port : 0));
    });
  });

export interface Server {
  readonly url: string;
  stop(): void;
}

/** Parts of the start page that a server does not hand out. */
async function missingParts(url: string): Promise<string[]> {
  const page = await (await fetch(url)).text();
  const parts = [...new Set([...page.matchAll(/\/_next\/static\/[^"'\\\s)]+/g)].map((m) => m[0]))];
  const found = await Promise.all(parts.map(async (p) => (await fetch(`${url}${p}`)).ok));
  return parts.filter((_, k) => !found[k]);
}

/** What all suites share, by the variables that say where it is (e2e/shared.ts): a server, and a Chromium without space. */
export const sharedAt = { server: 'ZELVAR_TEST_SERVER', chromium: 'ZELVAR_TEST_CHROMIUM' } as const;

const answers = (url: string): Promise<boolean> =>
  fetch(url).then(
    (r) => r.ok,
    () => false,
  );

/** On a loaded machine a server has come up without its files: then another one is started. */
export async function startServer(attempts = 3): Promise<Server> {
  const there = process.env[sharedAt.server];
  if (there && (await answers(there))) return { url: there, stop: () => undefined };
  const port = await freePort();
  const child: ChildProcess = spawn(
    process.execPath,
    ['node_modules/next/dist/bin/next', 'start', '-H', '127.0.0.1', '-p', String(port)],
    {
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1', NODE_ENV: 'production' },
    },
  );
  let output = '';
  child.stdout?.on('data', (d) => (output += d));
  child.stderr?.on('data', (d) => (output += d));
  const url = `http://127.0.0.1:${port}`;
  for (let tries = 0; tries < 240; tries++) {
    if (child.exitCode !== null) throw new Error(`The server ended: ${output}`);
    try {
      if ((await fetch(url)).ok) {
        const missing = await missingParts(url);
        if (missing.length === 0) return { url, stop: () => void child.kill('SIGTERM') };
        child.kill('SIGKILL');
        if (attempts > 1) return await startServer(attempts - 1);
        throw new Error(`The server does not hand out ${missing.join(', ')}`);
      }
    } catch (error) {
      if (error instanceof Error && error.message.startsWith('The server')) throw error;
      // not up yet
    }
    await new Promise((r) => setTimeout(r, 250));
  }
  child.kill('SIGKILL');
  throw new Error(`The server did not answer: ${output}`);
}

export interface Chromium {
  readonly browser: Browser;
  stop(): Promise<void>;
}

/** With `space`, drawing in space works without a graphics card; everything else is drawn slower then. */
export async function startChromium({ space = false } = {}): Promise<Chromium> {
  const there = process.env[sharedAt.chromium];
  const joined = there && !space ? await joinChromium(there).catch(() => undefined) : undefined;
  if (joined) return joined;
  const profile = mkdtempSync(join(tmpdir(), 'zelvar-profile-'));
  const browser = await puppeteer.launch({
    executablePath: chromiumPath,
    userDataDir: profile,
    headless: true,
    defaultViewport: { width: 1280, height: 800 },
    args: [
      ...(space ? ['--use-angle=swiftshader', '--enable-unsafe-swiftshader', '--ignore-gpu-blocklist'] : []),
      '--no-sandbox',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
      // popups of an address bar that nobody sees, loaded anew for every window
      '--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup,WebUIOmniboxFullPopup',
      '--force-color-profile=srgb',
    ],
  });
  return {
    browser,
    async stop() {
      await browser.close();
      rmSync(profile, { recursive: true, force: true, maxRetries: 5 });
    },
  };
}

/** One that runs already: what was opened in it is closed, but for the context that suites share. */
async function joinChromium(address: string): Promise<Chromium> {
  const browser = await puppeteer.connect({
    browserWSEndpoint: address,
    defaultViewport: { width: 1280, height: 800 },
  });
  const [first] = browser.browserContexts().filter((c) => c.id !== undefined);
  if (first) shared.set(browser, first);
  return {
    browser,
    async stop() {
      for (const context of browser.browserContexts())
        if (context.id !== undefined && context !== shared.get(browser)) await context.close();
      await browser.disconnect();
    },
  };
}

const shared = new WeakMap<Browser, BrowserContext>();
/**
 * A page that knows nothing of those before: what they have kept is gone. It is in one context with them, so that the application is not
 * fetched and compiled anew each time. `url`: where it will be.
 */
export async function freshPage(browser: Browser, url: string): Promise<{ page: Page; errors: string[] }> {
  const context = shared.get(browser) ?? (await browser.createBrowserContext());
  shared.set(browser, context);
  await closePages(context);
  const found = await newPage(browser, context);
  const client = await found.page.createCDPSession();
  await client.send('Storage.clearDataForOrigin', { origin: new URL(url).origin, storageTypes: 'all' });
  await client.detach();
  return found;
}
/** Everything that is open in a context. */
export async function closePages(context: BrowserContext): Promise<void> {
  for (const page of await context.pages()) await page.close();
}

/** A page whose console errors are collected, in a context of its own where none is given. */
export async function newPage(browser: Browser, given?: BrowserContext): Promise<{ page: Page; errors: string[] }> {
  const context = given ?? (await browser.createBrowserContext());
  const page = await context.newPage();
  const errors: string[] = [];
  page.on('console', (m) => m.type() === 'error' && errors.push(m.text()));
  page.on('pageerror', (e) => errors.push(String(e)));
  return { page, errors };
}
