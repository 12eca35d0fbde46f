import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper } from './session';

/** A part on a board that is watched over its serial line. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { until, text, fill, click, clickText, area, run, setup } = person(() => page);
const lineSheet = async (): Promise<void> => {
  await area('Board');
  await clickText('.board-head button', 'Line');
  await page.waitForSelector('.line-sheet, .empty');
};
const row = (name: string): Promise<string> => text(`[data-testid="told"] [data-quantity="${name}"]`);
const tick = (name: string): Promise<void> => click(`[aria-label="${name} is told"]`);
const isTicked = (name: string): Promise<boolean> =>
  page.$eval(`[aria-label="${name} is told"]`, (e) => (e as HTMLInputElement).checked);

test('the demo over its line: what came, what was told last, and what cannot be told', async () => {
  await run('Watched over its line');
  await lineSheet();
  await until(
    () => text('[data-testid="line-facts"]'),
    (t) =>
      /\b200 tellings came in Watched over its line/.test(t) && t.includes('0 lost') && t.includes('4 of 4 orders'),
    'what came is counted',
  );
  expect(await row('count')).toMatch(/count\s*tubes done\s+1\s+1/);
  expect(await isTicked('voltage')).toBe(true);
  // drawn by the keyboard alone
  await page.focus('[aria-label="Draw voltage as told"]');
  await page.keyboard.press('Enter');
  await page.waitForSelector('.ribbon [data-track-item="ctrl.heard.voltage"]');
  await click('[data-testid="undo"]');
  expect(await isTicked('lamp')).toBe(false);
  await tick('lamp');
  await until(() => isTicked('lamp'), Boolean, 'it is asked for');
  expect(await text('.section-title')).toContain('5 of 8');
  await click('[data-testid="undo"]');
  await until(
    () => isTicked('lamp'),
    (x) => !x,
    'and taken back',
  );
  // faster than the line
  await fill('Steps from telling to telling of ctrl', '1');
  await until(
    () => text('.line-settings'),
    (t) => t.includes('of what the line can carry'),
    'what is too much is told at its place',
  );
  await click('[data-testid="undo"]');
  await fill('Share of bytes of ctrl that are damaged', '2');
  await until(
    () => text('.line-settings'),
    (t) => t.includes('A chance from 0 to 1'),
    'what cannot be is refused',
  );
});

test('a setup without a line gets one by a press, on a board with free pins for it', async () => {
  await setup('Careful');
  await lineSheet();
  await until(
    () => text('.empty'),
    (t) => t.includes('ctrl is not watched in Careful'),
    'there is none',
  );
  await click('[data-testid="watch-part"]');
  await until(
    () => text('.line-sheet'),
    (t) => t.includes('of Larch 32') && t.includes('Nothing came yet'),
    'it is watched on the board whose pins are free',
  );
  await click('[data-testid="undo"]');
  await page.waitForSelector('[data-testid="watch-part"]');
});
