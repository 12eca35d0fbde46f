import type { KeyInput, Page } from 'puppeteer-core';
import { freshCapper, goTo } from './session';
import { person } from './person';

/** Everyday editing, the same everywhere: copying, pasting, several at once, rows that move, a menu, names that are proposed. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { until, click, pause, fill } = person(() => page);

const count = (selector: string): Promise<number> => page.$$eval(selector, (all) => all.length);
const values = (selector: string): Promise<string[]> =>
  page.$$eval(selector, (all) => all.map((e) => (e as HTMLInputElement).value));
const names = (): Promise<string[]> => values('[data-testid=quantities] tr td:nth-child(2) input');
async function chord(...keys: readonly KeyInput[]): Promise<void> {
  for (const k of keys.slice(0, -1)) await page.keyboard.down(k);
  // what the browser does with the clipboard goes with the keys
  const commands = { c: 'Copy', x: 'Cut', v: 'Paste' }[keys.at(-1)!.toLowerCase() as 'c'];
  await page.keyboard.press(keys.at(-1)!, keys[0] === 'Control' && commands ? { commands: [commands] } : {});
  for (const k of keys.slice(0, -1).reverse()) await page.keyboard.up(k);
}
const handle = (what: string): string => `main [aria-label="Choose ${what}"]`;
const chosen = (): Promise<number> => count('main tr.chosen');
const state = (name: string): string => `.state-card[data-state="${name}"]`;
const said = (): Promise<string> =>
  page.evaluate(() => document.querySelector<HTMLElement>('.notice')?.innerText ?? '');

test('rows: chosen, copied, pasted, cut, moved and undone', async () => {
  await goTo(page, '#/product/spindle///');
  await page.waitForSelector('[data-testid=quantities]');
  const before = await names();
  await click(handle(before[0]));
  await page.keyboard.down('Shift');
  await click(handle(before[2]));
  await page.keyboard.up('Shift');
  await until(chosen, (n) => n === 3, 'three rows are chosen');
  await chord('Control', 'c');
  await chord('Control', 'v');
  const after = await until(names, (n) => n.length === before.length + 3, 'three more rows');
  expect(after.slice(0, 3)).toEqual(before.slice(0, 3));
  expect(await chosen()).toBe(3);
  // the copies are chosen: they go again at once
  await chord('Control', 'x');
  await until(names, (n) => n.join() === before.join(), 'cut');
  await chord('Control', 'z');
  await until(names, (n) => n.join() === after.join(), 'and back');
  await chord('Control', 'z');
  await until(names, (n) => n.join() === before.join(), 'as before');
  // up and down by keys, with the field keeping the focus
  await (await page.$(`[aria-label="Value of ${before[1]}"]`))!.focus();
  await chord('Alt', 'ArrowUp');
  await until(names, (n) => n[0] === before[1] && n[1] === before[0], 'one row up');
  await until(
    () => page.evaluate(() => document.activeElement?.getAttribute('aria-label')),
    (l) => l === `Value of ${before[1]}`,
    'the focus goes along',
  );
  // and dragged by its handle
  const from = (await (await page.$(handle(before[1])))!.boundingBox())!;
  const to = (await (await page.$(handle(before[3])))!.boundingBox())!;
  await page.mouse.move(from.x + 6, from.y + 10);
  await page.mouse.down();
  await page.mouse.move(from.x + 10, from.y + 30, { steps: 4 });
  await page.mouse.move(to.x + 6, to.y + to.height - 3, { steps: 6 });
  await pause(80);
  expect(await count('tr.drop-behind')).toBe(1);
  await page.mouse.up();
  await until(names, (n) => n[3] === before[1], 'dropped behind the fourth');
});

test('what is still used stays, with the reason', async () => {
  await goTo(page, '#/product/spindle///');
  await page.waitForSelector(handle('speed'));
  await click(handle('speed'));
  const before = await names();
  await page.keyboard.press('Delete');
  await until(said, (t) => /speed is still used by/.test(t), 'the reason');
  expect(await names()).toEqual(before);
});

test('a new row has the focus in its name, Enter begins the next, Escape takes it back', async () => {
  await goTo(page, '#/product/spindle///');
  const before = await until(names, (n) => n.length > 3, 'quantities');
  await click('[data-testid=add-quantity]');
  await until(
    () => page.evaluate(() => document.activeElement?.getAttribute('aria-label')),
    (l) => l === 'Name of x',
    'its name has the focus',
  );
  await page.keyboard.type('first');
  await page.keyboard.press('Enter');
  await until(names, (n) => n.length === before.length + 2, 'the next one is there');
  await pause(100);
  await page.keyboard.type('second');
  await page.keyboard.press('Enter');
  await until(names, (n) => n.length === before.length + 3, 'and one more');
  await pause(100);
  await page.keyboard.press('Escape');
  const after = await until(names, (n) => n.length === before.length + 2, 'the last one goes again');
  expect(after.slice(-2)).toEqual(['first', 'second']);
});

test('rows go to a spreadsheet and come from one; what is not understood is told with its place', async () => {
  await goTo(page, '#/product/spindle///');
  const before = await until(names, (n) => n.length > 3, 'quantities');
  await click(handle(before[0]));
  const text = await page.evaluate(() => {
    const data = new DataTransfer();
    document.activeElement!.dispatchEvent(
      new ClipboardEvent('copy', { clipboardData: data, bubbles: true, cancelable: true }),
    );
    return data.getData('text/plain');
  });
  expect(text.split('\n')[0]).toBe('Quantity\tRole\tValue\tUnit\tLimits\tNote\tType');
  expect(text.split('\n')[1]).toContain(before[0]);
  const give = (rows: string): Promise<void> =>
    page.evaluate((r) => {
      const data = new DataTransfer();
      data.setData('text/plain', r);
      document.activeElement!.dispatchEvent(
        new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }),
      );
    }, rows);
  await give('Quantity\tValue\tUnit\nu0\t12\tV\ni0\t0.5\tA\n');
  await until(names, (n) => n.includes('u0') && n.includes('i0'), 'two rows came in');
  expect(await values('[aria-label="Unit of i0"]')).toEqual(['A']);
  await give('a\tparameter\tx\nb\tknob\n');
  await until(said, (t) => t.includes('Row 2, Role: “knob” is none of'), 'the place of what is wrong');
  expect(await names()).not.toContain('a');
});

test('states: several chosen, dragged together, copied within the chart and refused elsewhere', async () => {
  await goTo(page, '#/behaviour/ctrl//');
  await page.waitForSelector('.state-card');
  const card = (): Promise<string[]> =>
    page.$$eval('.state-card', (all) => all.map((e) => (e as HTMLElement).dataset.state!));
  const before = await card();
  const groups = new Set(
    await page.$$eval('.state-card.group', (all) => all.map((e) => (e as HTMLElement).dataset.state!)),
  );
  const [a, b] = before.filter((n) => !groups.has(n));
  await click(`${state(a)} .state-name`);
  await page.keyboard.down('Control');
  await click(`${state(b)} .state-name`);
  await page.keyboard.up('Control');
  await until(
    () => count('.state-card.selected'),
    (n) => n === 2,
    'two are chosen',
  );
  await chord('Control', 'c');
  await chord('Control', 'v');
  const after = await until(card, (n) => n.length === before.length + 2, 'two copies');
  const fresh = after.filter((n) => !before.includes(n)).sort();
  expect(fresh.map((n) => n.replace(/\d+$/, '')).sort()).toEqual([a, b].map((n) => n.replace(/\d+$/, '')).sort());
  expect(await count('.state-card.selected')).toBe(2);
  // dragged together
  const place = async (n: string): Promise<{ x: number; y: number }> =>
    (await (await page.$(state(n)))!.boundingBox())!;
  const [p, q] = [await place(fresh[0]), await place(fresh[1])];
  await page.mouse.move(p.x + 30, p.y + 12);
  await page.mouse.down();
  await page.mouse.move(p.x + 60, p.y + 40, { steps: 5 });
  await page.mouse.up();
  const moved = await until(
    () => place(fresh[1]),
    (at) => Math.abs(at.x - q.x) > 15,
    'both have moved',
  );
  const lead = await place(fresh[0]);
  expect(Math.abs(moved.x - q.x - (lead.x - p.x))).toBeLessThan(3);
  await page.keyboard.press('Delete');
  await until(card, (n) => n.length === before.length, 'both are deleted');
  await chord('Control', 'z');
  await until(card, (n) => n.length === before.length + 2, 'and back by one step');
  // no place for states on a table of quantities
  await goTo(page, '#/product/spindle///');
  await page.waitForSelector('[data-testid=quantities]');
  await chord('Control', 'v');
  await until(said, (t) => /states cannot stand here: open a state chart/.test(t), 'where they can stand');
});

test('a part goes to another project with its types', async () => {
  await goTo(page, '#/product////inside');
  await page.waitForSelector('.part-card[data-part=spindle]');
  await click('.part-card[data-part=spindle] .part-head');
  await chord('Control', 'c');
  await page.goto(`${session.server.url}/?open=rinse-unit`);
  await page.waitForSelector('.ribbon');
  await goTo(page, '#/product////inside');
  await page.waitForSelector('.part-card');
  const parts = await count('.part-card');
  await page.mouse.click(640, 300);
  await chord('Control', 'v');
  await until(
    () => count('.part-card'),
    (n) => n === parts + 1,
    'the spindle is here',
  );
  await until(
    () => page.$eval('[data-testid=inside]', (e) => (e as HTMLElement).innerText),
    (t) => t.includes('SpindleDrive'),
    'with its type',
  );
});

test('a menu at the pointer: duplicate, and delete', async () => {
  await goTo(page, '#/bench///');
  await page.waitForSelector('.setup-tabs');
  const setups = (): Promise<number> => count('.setup-tabs button');
  const before = await setups();
  await click('.setup-tabs button');
  await (await page.$('.setup-tabs button'))!.click({ button: 'right' });
  await page.waitForSelector('[data-testid=element-menu]');
  await (await page.waitForSelector('[data-testid=element-menu] button ::-p-text(Duplicate)'))!.click();
  await until(setups, (n) => n === before + 1, 'a copy of the setup');
  await goTo(page, '#/behaviour/ctrl//');
  await page.waitForSelector('.state-card');
  const box = (await (await page.$('.react-flow__pane'))!.boundingBox())!;
  await page.mouse.click(box.x + box.width - 40, box.y + box.height - 30, { button: 'right' });
  await page.waitForSelector('[data-testid=element-menu]');
  expect(await page.$eval('[data-testid=element-menu]', (e) => (e as HTMLElement).innerText.trim())).toMatch(/^Paste/);
  await page.keyboard.press('Escape');
  await until(
    () => count('[data-testid=element-menu]'),
    (n) => n === 0,
    'Escape closes it',
  );
});

test('names are proposed where they are typed; Enter takes what was written', async () => {
  await goTo(page, '#/bench///');
  const el = await page.waitForSelector('[aria-label="Condition that ends the run"]');
  await el!.click();
  await page.keyboard.type('spindle.sp');
  await page.waitForSelector('.suggestions li');
  expect(await page.$eval('.suggestions li .mono', (e) => (e as HTMLElement).innerText)).toBe('spindle.speed');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await until(
    () => values('[aria-label="Condition that ends the run"]'),
    (v) => v[0] === 'spindle.speed',
    'taken',
  );
  await page.keyboard.type(" > 30 'rad/s'");
  await page.keyboard.press('Enter');
  await until(
    () => count('.suggestions'),
    (n) => n === 0,
    'nothing more is proposed',
  );
  expect(await values('[aria-label="Condition that ends the run"]')).toEqual(["spindle.speed > 30 'rad/s'"]);
  await fill('Condition that ends the run', '');
});

test('names are proposed in formulas, in branches and where runs stop', async () => {
  await goTo(page, '#/needs///');
  const formula = '[aria-label^="Formula of"]';
  await (await page.waitForSelector(formula))!.click();
  await chord('Control', 'End');
  await page.keyboard.type(' thr');
  await until(
    () => page.$eval('.suggestions', (e) => (e as HTMLElement).innerText),
    (t) => t.includes('throughout(T, p)'),
    'operators are proposed with what they take',
  );
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Tab');
  await until(
    () => values(formula),
    (v) => v.some((x) => x.endsWith(' throughout')),
    'taken',
  );
  await page.keyboard.press('Escape');
  await until(
    () => values(formula),
    (v) => !v.some((x) => x.endsWith(' throughout')),
    'taken back',
  );
  await click('[data-testid=stops]');
  await click('[aria-label="Condition that stops a run"]');
  await page.keyboard.type('spindle.sp');
  await page.waitForSelector('.dropdown-menu.show .suggestions li');
  await (await page.$('.suggestions li'))!.click();
  await until(
    () => values('[aria-label="Condition that stops a run"]'),
    (v) => v[0] === 'spindle.speed',
    'taken by a click, and the menu stays',
  );
  await page.keyboard.press('Escape');
});

test('rows of a spreadsheet begin an empty table', async () => {
  await page.goto(`${session.server.url}/`);
  await page.waitForSelector('.ribbon');
  await page.keyboard.down('Control');
  await page.keyboard.press('k');
  await page.keyboard.up('Control');
  await page.waitForSelector('[cmdk-input]');
  await page.keyboard.type('new part type');
  await (await page.waitForSelector('[cmdk-item] ::-p-text(New part type)'))!.click();
  await page.waitForSelector('main .empty[data-rows]');
  await page.evaluate(() => {
    const data = new DataTransfer();
    data.setData('text/plain', 'Quantity\tValue\tUnit\nu0\t12\tV\n');
    document.body.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  });
  await until(names, (n) => n.join() === 'u0', 'the first quantity');
});
