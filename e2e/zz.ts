import { newPage, startChromium, startServer } from './browser';
import { goTo } from './session';
void (async () => {
  const [server, chromium] = await Promise.all([startServer(), startChromium()]);
  const { page } = await newPage(chromium.browser);
  await page.setViewport({ width: 1280, height: 800 });
  await page.goto(`${server.url}/?open=tube-capper`);
  await page.waitForSelector('.ribbon');
  await goTo(page, '#/behaviour/ctrl//');
  await page.keyboard.press('F1');
  await page.waitForSelector('.help-entry');
  await new Promise((r) => setTimeout(r, 400));
  await page.screenshot({ path: '/tmp/w/1.png' });
  await page.keyboard.type('within');
  await new Promise((r) => setTimeout(r, 600));
  await page.screenshot({ path: '/tmp/w/2.png' });
  await chromium.stop();
  server.stop();
})();
