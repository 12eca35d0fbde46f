import { mkdirSync } from 'node:fs';
import type { Page } from 'puppeteer-core';
import { newPage, startChromium, startServer } from './browser';

/** Takes the pictures of docs/screenshots from the demo: `npm run screenshots` after a build. */
async function main(): Promise<void> {
  mkdirSync('docs/screenshots', { recursive: true });
  const [server, chromium] = await Promise.all([startServer(), startChromium()]);
  const wait = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));
  const { page } = await newPage(chromium.browser);
  const shot = (name: string): Promise<unknown> => page.screenshot({ path: `docs/screenshots/${name}.png` });
  const go = async (hash: string): Promise<void> => {
    await page.evaluate((h) => {
      location.hash = h;
      window.dispatchEvent(new PopStateEvent('popstate'));
    }, hash);
    await wait(900);
  };
  const run = async (p: Page, id: string): Promise<void> => {
    await p.select('select[aria-label="Setup"]', id);
    await p.click('.ribbon-bar .btn-primary');
    await p.waitForFunction(() => document.querySelector('[data-testid="run-status"]')?.textContent?.includes('finished'));
    await wait(400);
  };
  try {
    await page.goto(server.url);
    await page.waitForSelector('h1');
    await page.goto(`${server.url}/?open=tube-capper`);
    await page.waitForSelector('.ribbon');
    await run(page, 'u-careful');
    await run(page, 'u-eager');
    const ruler = (await (await page.$('.time-ruler'))!.boundingBox())!;
    await page.mouse.move(ruler.x + 20, ruler.y + 60);
    await page.mouse.down();
    await page.mouse.move(ruler.x + (ruler.width * 1.095) / 2, ruler.y + 60, { steps: 3 });
    await page.mouse.up();
    await go('#/bench///');
    await shot('bench');
    await go('#/needs///requirement%2Fr-cap-02');
    await shot('needs');
    await go('#/product/spindle//quantity%2Fq-speed');
    await shot('product');
    await go('#/physics/spindle//');
    await shot('physics');
    await go('#/behaviour/ctrl//state%2Fs-press');
    await shot('behaviour');
    await page.click('button[aria-label="Dark theme"]');
    await wait(400);
    await shot('dark');
    await page.click('button[aria-label="Light theme"]');
    await page.evaluate(() => localStorage.removeItem('zelvar-last-project'));
    await page.goto(server.url);
    await page.waitForSelector('h1');
    await wait(500);
    await shot('start');
  } finally {
    await chromium.stop();
    server.stop();
  }
}
void main();
