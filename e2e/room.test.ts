import type { Page } from 'puppeteer-core';
import { freshCapper, goTo } from './session';
import { person } from './person';

/** What is in the way of nobody: keys, room for the sheet, and drawings that stay where they are. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { until, click, pause, run } = person(() => page);

const height = (selector: string): Promise<number> =>
  page.$eval(selector, (e) => Math.round(e.getBoundingClientRect().height));
const isThere = (selector: string): Promise<boolean> =>
  page.evaluate((s) => document.querySelector(s) !== null, selector);
const view = (): Promise<string> => page.$eval('.react-flow__viewport', (e) => (e as HTMLElement).style.transform);
const states = (): Promise<number> => page.$$eval('.react-flow__node', (all) => all.length);

test('the ribbon folds by a key, keeps a height per area, and the sheet stands alone by another', async () => {
  await goTo(page, '#/behaviour/ctrl//');
  await page.waitForSelector('.react-flow__node');
  const open = await height('.ribbon');
  await page.keyboard.press('r');
  await until(
    () => height('.ribbon'),
    (h) => h <= 44,
    'the ribbon is its bar',
  );
  await page.keyboard.press('r');
  await until(
    () => height('.ribbon'),
    (h) => Math.abs(h - open) < 3,
    'and open again',
  );
  await page.keyboard.press('f');
  await until(
    () => isThere('aside[aria-label="Details"], .pane.outline'),
    (x) => !x,
    'the sheet is alone',
  );
  expect(await height('.ribbon')).toBeLessThan(44);
  await page.keyboard.press('f');
  await until(() => isThere('.pane.outline'), Boolean, 'everything is back');
  // another height here, not elsewhere, and after a reload still
  const bar = (await page.$$('.split-bar')).at(-1)!;
  const at = (await bar.boundingBox())!;
  await page.mouse.move(at.x + at.width / 2, at.y + at.height / 2);
  await page.mouse.down();
  await page.mouse.move(at.x + at.width / 2, at.y + 120, { steps: 5 });
  await page.mouse.up();
  const lower = await height('.ribbon');
  expect(lower).toBeLessThan(open - 80);
  await goTo(page, '#/bench///');
  await until(
    () => height('.ribbon'),
    (h) => h > lower + 60,
    'the bench has a height of its own',
  );
  await goTo(page, '#/behaviour/ctrl//');
  await until(
    () => height('.ribbon'),
    (h) => Math.abs(h - lower) < 3,
    'and the charts theirs',
  );
  await page.reload();
  await page.waitForSelector('.react-flow__node');
  await until(
    () => height('.ribbon'),
    (h) => Math.abs(h - lower) < 3,
    'after a reload as well',
  );
});

test('keys work after the ribbon had the focus, and type into fields where those have it', async () => {
  await run('Careful');
  await page.focus('[data-testid="tracks"]');
  await page.keyboard.press('?');
  await until(() => isThere('.modal.show'), Boolean, 'the list of keys');
  await page.keyboard.press('Escape');
  await until(
    () => isThere('.modal.show'),
    (x) => !x,
    'closed',
  );
  await page.focus('[data-testid="tracks"]');
  await page.keyboard.press('g');
  await page.keyboard.press('n');
  await until(
    async () => page.url(),
    (u) => u.includes('#/needs'),
    'gone to the needs',
  );
  const field = (await page.waitForSelector('[aria-label="Search requirements"], .pane-head input'))!;
  await field.click();
  await field.type('fril');
  expect(await field.evaluate((e) => (e as HTMLInputElement).value)).toBe('fril');
  expect(await height('.ribbon')).toBeGreaterThan(60);
});

test('on a chart the wheel pans, with Ctrl it zooms; a double click adds a state with its name ready; deleting moves nothing', async () => {
  await goTo(page, '#/behaviour/ctrl//');
  await page.waitForSelector('.react-flow__node');
  await pause(500);
  const before = await view();
  const box = (await (await page.$('.react-flow'))!.boundingBox())!;
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.wheel({ deltaY: 80 });
  await pause(200);
  const scale = (t: string): string => /scale\(([^)]+)\)/.exec(t)![1];
  const panned = await view();
  expect(panned).not.toBe(before);
  expect(scale(panned)).toBe(scale(before));
  await page.keyboard.down('Control');
  await page.mouse.wheel({ deltaY: -120 });
  await page.keyboard.up('Control');
  await pause(200);
  expect(Number(scale(await view()))).toBeGreaterThan(Number(scale(before)));
  const count = await states();
  // a place where nothing is drawn
  const free = await page.evaluate(({ x, y, width, height }) => {
    for (let dy = 20; dy < height - 60; dy += 12)
      for (let dx = 60; dx < width - 160; dx += 12)
        if (
          [0, 60, 120].every((more) =>
            document.elementFromPoint(x + dx + more - 60, y + dy)?.classList.contains('react-flow__pane'),
          )
        )
          return { x: x + dx, y: y + dy };
    return undefined;
  }, box);
  const resting = await view();
  await page.mouse.click(free!.x, free!.y, { count: 2 });
  await until(states, (n) => n === count + 1, 'a state more');
  await until(
    () => page.evaluate(() => document.activeElement?.getAttribute('aria-label') ?? ''),
    (label) => label === 'Name of the state',
    'its name has the focus',
  );
  await page.keyboard.type('Waiting_here');
  await page.keyboard.press('Enter');
  await until(
    () => page.evaluate(() => document.querySelector<HTMLElement>('.react-flow')!.innerText),
    (t) => t.includes('Waiting_here'),
    'it has the name that was typed',
  );
  expect(await view()).toBe(resting);
  await click('[aria-label="Delete what is selected (Delete)"]');
  await until(states, (n) => n === count, 'gone again');
  await pause(200);
  expect(await view()).toBe(resting);
});

test('on paper stands the sheet alone, with all its rows and the whole chart', async () => {
  await goTo(page, '#/needs///');
  await page.waitForSelector('[data-testid=requirements]');
  await page.emulateMediaType('print');
  await page.evaluate(() => window.dispatchEvent(new Event('beforeprint')));
  const shown = (selector: string): Promise<boolean> =>
    page.evaluate((s) => {
      const e = document.querySelector<HTMLElement>(s);
      return e !== null && e.getClientRects().length > 0;
    }, selector);
  for (const gone of ['.rail', '.top-bar', '.ribbon-bar', '.pane.outline'])
    expect([gone, await shown(gone)]).toEqual([gone, false]);
  const rows = await page.$$eval('[data-requirement]', (all) => all.map((e) => (e as HTMLElement).dataset.requirement));
  expect(rows).toHaveLength(17);
  // nothing is cut off by a box that scrolls
  expect(await page.$eval('main', (e) => e.getBoundingClientRect().height)).toBeGreaterThan(900);
  await page.evaluate(() => window.dispatchEvent(new Event('afterprint')));
  await page.emulateMediaType('screen');
  await goTo(page, '#/behaviour/ctrl//');
  await page.waitForSelector('.react-flow__node');
  await page.emulateMediaType('print');
  await page.evaluate(() => window.dispatchEvent(new Event('beforeprint')));
  expect(await shown('.print-picture svg')).toBe(true);
  expect(await shown('.react-flow')).toBe(false);
  await page.evaluate(() => window.dispatchEvent(new Event('afterprint')));
  await page.emulateMediaType('screen');
  expect(await shown('.print-picture')).toBe(false);
  expect((await page.pdf({ format: 'A4' })).length).toBeGreaterThan(5000);
});

test('a chart is saved as a picture of pixels', async () => {
  await goTo(page, '#/behaviour/ctrl//');
  await page.waitForSelector('.react-flow__node');
  await page.evaluate(() => {
    const made = window as unknown as { saved: Blob[] };
    made.saved = [];
    const real = URL.createObjectURL.bind(URL);
    URL.createObjectURL = (b: Blob) => {
      made.saved.push(b);
      return real(b);
    };
  });
  await click('[data-testid=add-place]');
  await (await page.waitForSelector('.dropdown-item ::-p-text(Save the picture as PNG)'))!.click();
  const size = (): Promise<number[]> =>
    page.evaluate(async () => {
      const blob = (window as unknown as { saved: Blob[] }).saved.find((b) => b.type === 'image/png');
      if (!blob) return [];
      const bitmap = await createImageBitmap(blob);
      return [bitmap.width, bitmap.height];
    });
  const [width, height] = await until(size, (s) => s.length === 2, 'a picture is saved');
  expect(width).toBeGreaterThan(1000);
  expect(height).toBeGreaterThan(500);
});

test('help on the language: the page of the area, search, and the names at hand', async () => {
  await goTo(page, '#/behaviour/ctrl//');
  await page.waitForSelector('.react-flow__node');
  await page.keyboard.press('F1');
  const says = (): Promise<string> => page.$eval('[data-testid=help-text]', (e) => (e as HTMLElement).innerText);
  await until(says, (t) => t.startsWith('State charts'), 'the page about charts');
  await page.keyboard.type('settle');
  await until(says, (t) => t.includes('settling time'), 'what is said of settling');
  await page.click('[aria-label="Search the help"]', { count: 3 });
  await page.keyboard.type('creep');
  await until(
    () => page.$$eval('.help-names button', (all) => all.map((e) => (e as HTMLElement).innerText)),
    (names) => names.includes('creepSpeed'),
    'a name of the part',
  );
  await page.keyboard.press('Escape');
  await until(
    () => isThere('.help-dialog'),
    (x) => !x,
    'closed',
  );
});

test('a panel shows whole in whatever room there is, or scrolls; requirements dropped on it become lamps', async () => {
  await goTo(page, '#/bench///');
  await page.waitForSelector('.panel-board');
  const inside = (): Promise<boolean> =>
    page.evaluate(() => {
      const column = document.querySelector('.panel-board')!.closest('.bench > div')!.getBoundingClientRect();
      return [...document.querySelectorAll('.panel-control')].every((c) => {
        const b = c.getBoundingClientRect();
        return b.right <= column.right + 1 && b.bottom <= column.bottom + 1;
      });
    });
  await until(inside, Boolean, 'the whole panel is in sight');
  await click('[data-testid=whole-panel]');
  expect(await page.$eval('.panel-board', (e) => (e as HTMLElement).dataset.scale)).toBe('1');
  expect(await inside()).toBe(false);
  await page.reload();
  await page.waitForSelector('.panel-board');
  expect(await page.$eval('.panel-board', (e) => (e as HTMLElement).dataset.scale)).toBe('1');
  await click('[data-testid=whole-panel]');
  await until(inside, Boolean, 'whole again');
  await click('[data-testid=arrange-panel]');
  const row = await page.waitForSelector('.outline-row ::-p-text(Requirements)');
  await row!.click();
  const name = await page.waitForSelector('[data-name="CAP-01"]');
  const from = (await name!.boundingBox())!;
  const board = (await (await page.$('[data-testid=panel-editor]'))!.boundingBox())!;
  await page.mouse.move(from.x + 10, from.y + from.height / 2);
  await page.mouse.down();
  await page.mouse.move(board.x + board.width - 120, board.y + board.height - 60, { steps: 8 });
  await page.mouse.up();
  await page.waitForSelector('[data-control="CAP-01"][data-kind=verdict]');
});

test('deleting a part moves nothing else', async () => {
  await goTo(page, '#/product////inside');
  await page.waitForSelector('.part-card[data-part=spindle]');
  const isLast = (): Promise<number> => page.$$eval('.part-card', (all) => all.length);
  const places = (): Promise<string> =>
    page.$$eval('.part-card', (all) =>
      all
        .filter((e) => !(e as HTMLElement).dataset.part?.startsWith('spindle2'))
        .map((e) => `${(e as HTMLElement).dataset.part} ${JSON.stringify(e.getBoundingClientRect())}`)
        .join('\n'),
    );
  const count = await isLast();
  await click('.part-card[data-part=spindle] .part-head');
  await page.keyboard.down('Control');
  await page.keyboard.press('d');
  await page.keyboard.up('Control');
  await until(isLast, (n) => n === count + 1, 'a second spindle');
  await page.waitForSelector('.part-card[data-part=spindle2]');
  const [before, where] = [await view(), await places()];
  await page.keyboard.press('Delete');
  await until(isLast, (n) => n === count, 'and no second one');
  await pause(400);
  expect(await view()).toBe(before);
  expect(await places()).toBe(where);
});
