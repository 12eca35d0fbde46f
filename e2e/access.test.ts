import axe from 'axe-core';
import type { Page } from 'puppeteer-core';
import { freshCapper, goTo, views } from './session';
import { person } from './person';

/** Every main view in both themes, looked at by axe (rules of WCAG 2.1 A and AA): nothing serious is found. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { run, pause, clickText, click } = person(() => page);

/** What is the same in every view. */
const frame = ['header', '.rail', '.ribbon'];

/** Serious findings of a page as it is: rule, what it says, and where. */
async function serious(rules: 'all' | 'colour' = 'all', except: readonly string[] = []): Promise<string[]> {
  if (!(await page.evaluate(() => 'axe' in window))) await page.evaluate(axe.source);
  // a colour on its way to another one is none that anybody reads
  await page.waitForFunction(() =>
    document
      .getAnimations()
      .every((a) => a.playState !== 'running' || a.effect?.getComputedTiming().iterations === Infinity),
  );
  return page.evaluate(
    async (colourOnly, left) => {
      const context = { include: [['html']], exclude: left.filter((s) => document.querySelector(s)).map((s) => [s]) };
      const { violations } = await (window as unknown as { axe: typeof axe }).axe.run(context, {
        runOnly: colourOnly ? ['color-contrast'] : ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'],
        resultTypes: ['violations'],
      });
      return violations
        .filter((v) => v.impact === 'serious' || v.impact === 'critical')
        .flatMap((v) =>
          v.nodes
            .slice(0, 4)
            .map((n) => `${v.id}: ${n.html.slice(0, 160)} (${n.failureSummary?.split('\n')[1]?.trim().slice(0, 200)})`),
        );
    },
    rules === 'colour',
    except,
  );
}

test('no view has a serious finding, in both themes', async () => {
  await run('Careful');
  const found: Record<string, string[]> = {};
  for (const theme of ['light', 'dark']) {
    if (theme === 'dark') await click('[aria-label="Dark theme"]');
    for (const view of views) {
      await goTo(page, view);
      await pause(350);
      // another theme has other colours only
      const here = await serious(theme === 'dark' ? 'colour' : 'all', view === views[0] ? [] : frame);
      if (here.length > 0) found[`${theme}: ${view}`] = here;
    }
  }
  expect(found).toEqual({});
});

/** In the theme at hand everything; in the other one the colours, which are all that differs. */
async function inBothThemes(): Promise<string[]> {
  const found = await serious();
  await click('[aria-label="Dark theme"]');
  await page.waitForSelector('[aria-label="Light theme"]');
  const dark = await serious('colour');
  await click('[aria-label="Light theme"]');
  await pause(300);
  return [...found, ...dark.map((d) => `dark: ${d}`)];
}

test('a signal sheet, its search and its answers have none either', async () => {
  await goTo(page, '#/control/ctrl//Speed');
  await page.waitForSelector('[data-line="asked"]');
  await pause(600);
  expect(['sheet', await inBothThemes()]).toEqual(['sheet', []]);
  await page.click('[data-line="asked"] .signal-formula');
  await page.waitForSelector('[data-testid="block-details"]');
  await clickText('main button', 'Lines');
  await pause(600);
  expect(['a card and the lines', await inBothThemes()]).toEqual(['a card and the lines', []]);
  await page.focus('[data-testid="signal-board"]');
  await page.keyboard.press('a');
  await page.waitForSelector('[data-testid="block-search"]');
  await pause(300);
  expect(['search', await serious()]).toEqual(['search', []]);
  await page.keyboard.press('Escape');
  await goTo(page, '#/control/spindle///probe');
  await page.select('[aria-label="Effort"]', '60');
  await click('[data-testid="ask"]');
  await page.waitForSelector('[data-testid="told"]', { timeout: 90_000 });
  await pause(300);
  expect(['answers', await inBothThemes()]).toEqual(['answers', []]);
  await goTo(page, '#/control/ctrl///loop');
  await page.click('[aria-label="Where the loop is opened"]');
  await page.keyboard.type('ctrl.voltage');
  await page.keyboard.press('Escape');
  await click('[data-testid="look"]');
  await page.waitForSelector('[data-testid="loop-facts"]');
  await click('[data-testid="locus"] button[type="submit"]');
  await page.waitForSelector('[data-testid="locus-told"]');
  await pause(300);
  expect(['loop', await inBothThemes()]).toEqual(['loop', []]);
});

test('the start page and the dialogs have none either', async () => {
  await page.keyboard.press('?');
  await page.waitForSelector('.modal.show');
  expect(['keys', await serious()]).toEqual(['keys', []]);
  await page.keyboard.press('Escape');
  await click('#file-menu');
  await clickText('.dropdown-item', 'Compare with another version …');
  await page.waitForSelector('[data-testid="compare"]');
  await pause(300);
  expect(['compare', await serious()]).toEqual(['compare', []]);
  await page.keyboard.press('Escape');
  await click('#file-menu');
  await clickText('.dropdown-item', 'Close the project');
  await page.waitForSelector('.starter');
  expect(['start', await serious()]).toEqual(['start', []]);
});
