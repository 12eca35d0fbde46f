import { sharedAt, startChromium, startServer, type Chromium, type Server } from './browser';

/** Before all suites: a server and a Chromium that they share. */
export default async function start(): Promise<void> {
  const [server, chromium] = await Promise.all([startServer(), startChromium()]);
  Object.assign(globalThis, { zelvarShared: { server, chromium } });
  process.env[sharedAt.server] = server.url;
  process.env[sharedAt.chromium] = chromium.browser.wsEndpoint();
}

/** After them. */
export async function stop(): Promise<void> {
  const { server, chromium } = (globalThis as unknown as { zelvarShared: { server: Server; chromium: Chromium } })
    .zelvarShared;
  delete process.env[sharedAt.server];
  delete process.env[sharedAt.chromium];
  await chromium.stop();
  server.stop();
}
