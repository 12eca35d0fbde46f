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
/** Puts a record into the browser, past every check: that of the capper after a change, or what the change returns. */
const putRecord = (id: string, change: string): Promise<void> =>
  page.evaluate(
    async (key, body) => {
      const done = <T>(request: IDBRequest<T>): Promise<T> =>
        new Promise((resolve, reject) => {
          request.onsuccess = () => resolve(request.result);
          request.onerror = () => reject(request.error ?? new Error(key));
        });
      const db = await done(indexedDB.open('zelvar'));
      const store = db.transaction('projects', 'readwrite').objectStore('projects');
      const { project } = (await done(store.get('tube-capper'))) as { readonly project: unknown };
      const record: unknown = { project: structuredClone(project), changed: Date.now() };
      const other = (new Function('record', body) as (r: unknown) => unknown)(record);
      await done(store.put(other === undefined ? record : other, key));
      db.close();
    },
    id,
    change,
  );
/** No event of leaving is heard in a page that crashes. */
async function crash(p: Page): Promise<void> {
  const session = await p.createCDPSession();
  void session.send('Page.crash').catch(() => undefined);
  await first.pause(500);
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
  const context = page.browserContext();
  await crash(page);
  const other = await context.newPage();
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
  await putRecord('tube-capper', 'record.project.panels = null;');
  await putRecord(
    'future',
    'Object.assign(record.project, { name: "From the future", version: 99 }); record.changed = 1;',
  );
  await putRecord('nothing', 'return null;');
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

/** Opens a changed document as it would lie there. */
async function openChanged(change: string): Promise<void> {
  await putRecord(
    'odd',
    `const p = record.project; p.id = 'odd'; const chart = p.types.find((t) => t.charts.length > 0).charts[0]; ${change}`,
  );
  await page.goto(`${session.server.url}/?open=odd`);
  await page.waitForSelector('.ribbon');
}

const odd: Readonly<Record<string, string>> = {
  'states in one another':
    'chart.states.forEach((s, k) => (s.parent = chart.states[(k + 1) % chart.states.length].id))',
  'a state in itself, transitions to nowhere':
    'chart.states[1].parent = chart.states[1].id; chart.transitions[0].to = "gone"; chart.transitions[1].from = "gone"; chart.transitions[2].also = ["gone"]',
  'places far away': 'chart.states.forEach((s) => { s.x = 1e7; s.y = -1e7; })',
  'types in themselves, doubled names':
    'const t = p.types.find((x) => x.id === "t-capper"); t.parts.push({ ...t.parts[0], id: "p-1" }, { ...t.parts[1], id: "p-2", name: "again_", type: t.id }); p.types.push({ ...structuredClone(p.types[1]), id: "t-again" })',
  'everything leads to nowhere':
    'p.root = "gone"; p.types[0].parts.forEach((x) => (x.type = "gone")); p.setups.forEach((s) => { s.root = "gone"; s.panel = "gone"; s.sequences = ["gone"]; s.tracks = ["gone"]; }); p.traces.forEach((t) => { t.element = "a/b/c/d/e"; t.requirement = "gone"; })',
  'lines and requirements in rings':
    'p.flows[0].lines.forEach((l, k) => (l.depth = k % 2 ? 40 : 3)); p.types.forEach((t) => [...t.procedures, ...t.sequences].forEach((s) => s.lines.forEach((l, k) => (l.depth = k % 2 ? 40 : 3)))); p.requirements[1].parent = p.requirements[2].id; p.requirements[2].parent = p.requirements[1].id; p.requirements[3].key = p.requirements[4].key',
  'panels and tracks of odd numbers':
    'p.panels[0].controls.forEach((c) => { c.min = 5; c.max = -5; c.x = 1e7; c.width = 1e-9; c.target = "..["; }); p.tracks.forEach((t) => { t.items = ["gone", "", "..", "["]; t.height = 1e9; })',
};
test('documents that no edit makes: every view of them opens, and what is wrong is told', async () => {
  await settled(page, 'saved');
  for (const [name, change] of Object.entries(odd)) {
    await openChanged(change);
    for (const hash of [
      '#/needs////',
      '#/needs////matrix',
      '#/needs////flow%2Ff-cap-a-tube',
      '#/product/spindle//',
      '#/behaviour/ctrl//',
      '#/physics/spindle//',
      '#/physics///',
      '#/bench///',
      '#/board/ctrl//',
      '#/board/ctrl///stages',
    ]) {
      await goTo(page, hash);
      await first.pause(150);
      const seen = await page.evaluate(() => ({
        broken: [...document.querySelectorAll<HTMLElement>('.broken')].map((e) => e.innerText),
        main: (document.querySelector<HTMLElement>('main')?.innerText ?? '').length > 10,
      }));
      expect([name, hash, seen]).toEqual([name, hash, { broken: [], main: true }]);
    }
    await first.until(
      () => first.text('[data-testid="problems-button"]'),
      (t) => /\d+ problems?/.test(t),
      `problems of ${name} are told`,
    );
  }
});

test('a field that was being typed into when the page crashed has its text again', async () => {
  await goTo(page, '#/product/spindle//quantity%2Fq-R');
  const field = (await page.waitForSelector('[aria-label="Value of R"]'))!;
  const before = await field.evaluate((e) => (e as HTMLInputElement).value);
  await field.click({ count: 3 });
  await field.type('2.75');
  await first.pause(700);
  const url = page.url();
  const context = page.browserContext();
  await crash(page);
  const other = await context.newPage();
  await other.goto(url);
  const again = (await other.waitForSelector('[aria-label="Value of R"]'))!;
  const value = (): Promise<string> => other.$eval('[aria-label="Value of R"]', (e) => (e as HTMLInputElement).value);
  expect(await value()).toBe('2.75');
  expect(await other.evaluate(() => document.body.innerText)).toContain('typed before');
  await again.click();
  await other.keyboard.press('Escape');
  expect(await value()).toBe(before);
  await other.reload();
  await other.waitForSelector('[aria-label="Value of R"]');
  expect(await value()).toBe(before);
});

test('a field that was being typed into when the page was closed or reloaded has its text', async () => {
  await goTo(page, '#/product/spindle//quantity%2Fq-R');
  const field = (await page.waitForSelector('[aria-label="Value of R"]'))!;
  await field.click({ count: 3 });
  await field.type('3.5');
  await page.reload();
  await first.until(
    () => first.valueOf('Value of R'),
    (v) => v === '3.5',
    'what was typed is there',
  );
});

test('a check that takes too long can be stopped, and the next change is checked', async () => {
  await settled(page, 'saved');
  await openChanged(
    'p.types.find((t) => t.id === "t-spindledrive").physics += "\\n" + "for i in 1:1000 loop ".repeat(3) + "speed = speed;" + " end for;".repeat(3); chart.states.length = 0; chart.transitions.length = 0;',
  );
  await first.until(
    () => first.text('[data-testid="problems-button"]'),
    (t) => /checking|problems/.test(t),
    'the check goes on, or is over',
  );
  await first.until(
    () => first.text('[data-testid="problems-button"]'),
    (t) => /\d+ problem/.test(t),
    'the check ends with a word',
  );
  await first.click('#problems');
  expect(await first.text('.dropdown-menu.show')).toContain('more than 1 million values');
});
