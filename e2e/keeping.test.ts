import type { Page } from 'puppeteer-core';
import { freshCapper, goTo } from './session';
import { person } from './person';

/** What is kept in the browser: two tabs, crashes, addresses, and records that are damaged. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const first = person(() => page);

const requirement = '#/needs///requirement%2Fr-cap-02/requirement%2Fr-cap-02';
const noteOf = (p: Page): Promise<string> =>
  p.$eval('[aria-label="Text of CAP-02"]', (e) => (e as HTMLTextAreaElement).value);
const state = (p: Page): Promise<string> =>
  p.evaluate(
    () =>
      document
        .querySelector<HTMLElement>('[data-testid="following"], [data-testid="saved"]')
        ?.innerText.split('\n')[0] ?? '',
  );
async function type(p: Page, text: string): Promise<void> {
  await p.bringToFront();
  const field = (await p.waitForSelector('[aria-label="Text of CAP-02"]'))!;
  await field.click({ count: 3 });
  await p.keyboard.press('End');
  await field.type(text);
}
/** Another tab of the same browser with the same project. */
async function secondTab(): Promise<Page> {
  const other = await page.browserContext().newPage();
  await other.goto(page.url());
  await other.waitForSelector('.ribbon');
  return other;
}
const settled = (p: Page, wanted: string): Promise<unknown> =>
  first.until(
    () => state(p),
    (s) => s === wanted,
    `says ${wanted}`,
  );

test('two tabs: one writes, the other follows it live, takes over, and nothing is written over', async () => {
  await goTo(page, requirement);
  await page.waitForSelector('[aria-label="Text of CAP-02"]');
  await settled(page, 'saved');
  const other = await secondTab();
  await settled(other, 'edited in another tab');
  await type(page, ' seen by both');
  await first.until(
    () => noteOf(other),
    (n) => n.endsWith('seen by both'),
    'the other tab follows',
  );
  // what follows cannot write, and says so
  await type(other, 'x');
  await other.keyboard.press('Tab');
  await first.until(
    () => other.evaluate(() => document.body.innerText),
    (t) => t.includes('This project is being edited in another tab'),
    'a reader says that it is one',
  );
  expect((await noteOf(page)).endsWith('seen by both')).toBe(true);
  // taking over
  await other.bringToFront();
  const press = (await other.waitForSelector('[data-testid="following"] button'))!;
  await press.click();
  await settled(other, 'saved');
  await settled(page, 'edited in another tab');
  await type(other, ', then here');
  await first.until(
    () => noteOf(page),
    (n) => n.endsWith(', then here'),
    'the first tab follows now',
  );
  // what the first tab did can be undone in the second
  await other.keyboard.press('Tab');
  for (let k = 0; k < 2; k++) await (await other.waitForSelector('[data-testid="undo"]'))!.click();
  await first.until(
    () => noteOf(page),
    (n) => !n.includes('seen by both'),
    'undone in both',
  );
  // the writer is closed: the one that is left writes
  await other.close();
  await settled(page, 'saved');
  await type(page, ' alone again');
  await page.reload();
  await first.until(
    () => noteOf(page),
    (n) => n.endsWith('alone again'),
    'kept',
  );
});

test('a crash while typing: what was typed a moment ago is there, and undo goes back over it', async () => {
  await goTo(page, requirement);
  const before = await (await page.waitForSelector('[aria-label="Text of CAP-02"]'))!.evaluate(
    (e) => (e as HTMLTextAreaElement).value,
  );
  await type(page, ' typed and crashed');
  await first.pause(300);
  const url = page.url();
  const other = await page.browserContext().newPage();
  // no event of leaving is heard in a page that crashes
  page.goto('chrome://crash').catch(() => undefined);
  await first.pause(500);
  await other.goto(url);
  await other.waitForSelector('[aria-label="Text of CAP-02"]');
  expect(await noteOf(other)).toBe(`${before} typed and crashed`);
  await settled(other, 'saved');
  await (await other.waitForSelector('[data-testid="undo"]'))!.click();
  await first.until(
    () => noteOf(other),
    (n) => n === before,
    'undone after the crash',
  );
  await other.reload();
  await (await other.waitForSelector('[data-testid="redo"]:not([disabled])'))!.click();
  await first.until(
    () => noteOf(other),
    (n) => n.endsWith('typed and crashed'),
    'done again after a reload',
  );
});

test('an address opens the project and the sheet it names; back and forward go between projects', async () => {
  await goTo(page, requirement);
  await page.waitForSelector('[aria-label="Text of CAP-02"]');
  const address = page.url();
  expect(address).toContain('open=tube-capper');
  await first.click('#file-menu');
  await first.clickText('.dropdown-item', 'Close the project');
  await first.clickText('button.starter strong', 'Rinse unit');
  await page.waitForSelector('.ribbon');
  await first.until(
    async () => page.url(),
    (u) => u.includes('open=rinse-unit'),
    'the address names the project',
  );
  await page.goto(address);
  await page.waitForSelector('[aria-label="Text of CAP-02"]');
  await page.goto(`${session.server.url}/?open=never-heard-of`);
  await first.until(
    () => first.text('[data-testid="notice"]'),
    (t) => t.includes('There is no project “never-heard-of”'),
    'an address that leads nowhere',
  );
});

test('a damaged record opens with what is good; one that cannot be opened stays, and the start page works', async () => {
  await settled(page, 'saved');
  await page.evaluate(async () => {
    const db = await new Promise<IDBDatabase>((resolve) => {
      const request = indexedDB.open('zelvar');
      request.onsuccess = () => resolve(request.result);
    });
    const store = db.transaction('projects', 'readwrite').objectStore('projects');
    const record = await new Promise<{ project: Record<string, unknown> }>((resolve) => {
      const request = store.get('tube-capper');
      request.onsuccess = () => resolve(request.result as never);
    });
    await new Promise((resolve) => {
      store.put({ ...record, project: { ...record.project, panels: null } }, 'tube-capper');
      store.put({ project: { ...record.project, name: 'From the future', version: 99 }, changed: 1 }, 'future');
      store.put(null, 'nothing').onsuccess = resolve;
    });
    db.close();
  });
  await page.reload();
  await page.waitForSelector('.ribbon');
  expect(await first.text('[data-testid="notice"]')).toMatch(/panel of the project.*set aside/s);
  await first.click('#file-menu');
  await first.clickText('.dropdown-item', 'Close the project');
  await first.until(
    () => first.text('main'),
    (t) => t.includes('Set aside'),
    'the start page lists what was set aside',
  );
  await first.clickText('button', 'From the future');
  await first.until(
    () => first.text('[data-testid="notice"]'),
    (t) => t.includes('newer Zelvar') && t.includes('stays as it is'),
    'why it is not opened',
  );
  await first.clickText('button', 'Tube capper');
  await page.waitForSelector('.ribbon');
});
