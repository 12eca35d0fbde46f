import { newPage, startChromium, startServer } from './browser';
import { goTo } from './session';
import { writeFileSync } from 'node:fs';
void (async () => {
  const [server, chromium] = await Promise.all([startServer(), startChromium()]);
  const { page } = await newPage(chromium.browser);
  await page.setViewport({ width: 1280, height: 800 });
  await page.goto(`${server.url}/?open=tube-capper`);
  await page.waitForSelector('.ribbon');
  const shots: [string, string][] = [['#/needs///', 'a'], ['#/behaviour/ctrl//', 'b'], ['#/product/spindle//', 'c'], ['#/bench///', 'd'], ['#/product////inside', 'e'],['#/physics/spindle//', 'f']];
  for (const [h, n] of shots) {
    await goTo(page, h);
    await new Promise((r) => setTimeout(r, 900));
    await page.setViewport({ width: 700, height: 1000 });
    await page.emulateMediaType('print');
    await page.evaluate(() => window.dispatchEvent(new Event('beforeprint')));
    await new Promise((r) => setTimeout(r, 300));
    await page.screenshot({ path: `/tmp/w/${n}.png`, clip: { x: 0, y: 0, width: 700, height: 1000 } });
    await page.evaluate(() => window.dispatchEvent(new Event('afterprint')));
    await page.emulateMediaType('screen');
    await page.setViewport({ width: 1280, height: 800 });
  }
  await chromium.stop();
  server.stop();
})();
