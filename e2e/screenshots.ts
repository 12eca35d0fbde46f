import { mkdirSync } from 'node:fs';
import type { Page } from 'puppeteer-core';
import { newPage, startChromium, startServer } from './browser';

/** Takes the pictures of docs/screenshots from the demo: `npm run screenshots` after a build. */
async function main(): Promise<void> {
  mkdirSync('docs/screenshots', { recursive: true });
  const [server, chromium] = await Promise.all([startServer(), startChromium({ space: true })]);
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
    const now = (): Promise<string> =>
      p.evaluate(() => document.querySelector('[data-testid="run-status"]')?.getAttribute('data-run') ?? '');
    const before = await now();
    await p.select('select[aria-label="Setup"]', id);
    await p.click('.ribbon-bar .btn-primary');
    await p.waitForFunction(
      (b) => {
        const status = document.querySelector('[data-testid="run-status"]');
        return status?.getAttribute('data-run') !== b && status?.textContent?.includes('finished');
      },
      { timeout: 120_000 },
      before,
    );
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
    await go('#/bench////study%2Fy-creep');
    await page.click('[data-testid="ask-study"]');
    await wait(500);
    const done = (): Promise<unknown> =>
      page.waitForFunction(() => !document.querySelector('[data-testid="asking"]'), { timeout: 240_000 });
    await done();
    await page.evaluate(() =>
      [...document.querySelectorAll('button')].find((b) => b.textContent?.includes('Locate'))?.click(),
    );
    await wait(500);
    await done();
    await (await page.$('.run-plot [role=slider]'))!.focus();
    for (let k = 0; k < 11; k++) await page.keyboard.press('ArrowRight');
    await wait(400);
    await shot('study');
    await go('#/needs///requirement%2Fr-cap-02');
    await shot('needs');
    await run(page, 'u-careful');
    await go('#/needs///requirement%2Fr-cap-02/requirement%2Fr-cap-02');
    await shot('requirement');
    await go('#/behaviour////procedure%2Fd-caponetube');
    await page.click('[data-testid="as-sequence"]');
    await wait(600);
    await shot('procedure');
    await go('#/behaviour////sequence%2Fq-cap-one-tube');
    await page.click('[data-testid="run-sequence"]');
    await wait(2500);
    await shot('sequence');
    await run(page, 'u-careful');
    await go('#/needs////matrix');
    await shot('matrix');
    await run(page, 'u-eager');
    await go('#/product/spindle//quantity%2Fq-speed');
    await shot('product');
    await go('#/product////motion');
    await page.mouse.move(ruler.x + 20, ruler.y + 60);
    await page.mouse.down();
    await page.mouse.move(ruler.x + ruler.width / 2, ruler.y + 60, { steps: 3 });
    await page.mouse.up();
    await wait(1500);
    await shot('motion');
    await go('#/behaviour/ctrl//state%2Fs-press');
    await shot('behaviour');
    await run(page, 'u-worn-bearing');
    await go('#/control//t-spindlewatch//learnt');
    // the ribbon is lower here
    const axis = (await (await page.$('.time-ruler'))!.boundingBox())!;
    await page.mouse.click(axis.x + (axis.width * 40) / 60, axis.y + 90);
    await wait(600);
    await shot('learning');
    await go('#/board/ctrl//chart%2Fc-mode%2Fstate%2Fs-press');
    await page.waitForSelector('.cm-lit-line');
    await wait(600);
    await shot('board');
    await run(page, 'u-loose-guard-wire');
    await go('#/board/ctrl//channel%2Fl-guardSwitch/pins');
    await wait(600);
    await shot('pins');
    await go('#/proof///');
    for (const name of ['Larch 8']) {
      const [box] = await page.$$(`xpath/.//label[contains(., "${name}")]/input`);
      await box.click();
    }
    await page.select('[aria-label="Cases with a tag"]', 'machine');
    await page.click('[data-testid="run-cases"]');
    await page.waitForFunction(
      () => /did not/.test(document.querySelector('[data-testid="proof-words"]')!.textContent!),
      { timeout: 120_000 },
    );
    await wait(300);
    await shot('proof');
    await go('#/proof////coverage');
    await page.waitForSelector('[data-testid="coverage-types"]');
    await (await page.$('[data-type="CapperControl"] button'))!.click();
    await wait(400);
    // how a missing transition could be come through
    const propose = await page.$('[data-element$="/chart/c-mode/transition/x-11"] .btn-sm[title^="Look for"]');
    await propose!.click();
    await page.waitForSelector('[data-testid="proposal"]', { timeout: 60_000 });
    await page.evaluate(() =>
      document.querySelector('[data-element$="/chart/c-mode/transition/x-9"]')!.scrollIntoView(),
    );
    await wait(300);
    await shot('coverage');
    await page.evaluate(() => localStorage.removeItem('zelvar-last-project'));
    await page.goto(`${server.url}/?open=heated-block`);
    await page.waitForSelector('.ribbon');
    await run(page, await page.$eval('select[aria-label="Setup"]', (e) => (e as HTMLSelectElement).value));
    await go('#/control/control//line%2Fz-temperature-integral');
    await wait(900);
    await shot('control');
    await page.click('button[aria-label="Dark theme"]');
    await go('#/control/control///loop');
    await page.type('[aria-label="Where the loop is opened"]', 'control.deviation');
    await page.keyboard.press('Escape');
    await page.click('[data-testid="look"]');
    await page.waitForSelector('[data-testid="loop-facts"]');
    await wait(600);
    await shot('loop');
    await page.click('button[aria-label="Light theme"]');
    await page.evaluate(() => localStorage.removeItem('zelvar-last-project'));
    await page.goto(`${server.url}/?open=rinse-unit`);
    await page.waitForSelector('.ribbon');
    await run(page, 'u-one-cycle');
    await go('#/physics/drive//quantity%2Ftau/relations');
    await wait(1500);
    await shot('relations');
    await go('#/physics/water///network');
    await wait(900);
    await page.click('[data-part="pump"]');
    await wait(500);
    await shot('network');
  } finally {
    await chromium.stop();
    server.stop();
  }
}
void main();
