import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper, goTo } from './session';

/** What links carry, junctions, and runs by the clock or without a screen, in a real browser. */
const session = freshCapper();
let page: Page;
beforeEach(() => void (page = session.page));
const { pause, until, text, fill, click, clickText, newChart, run, valueOf } = person(() => page);
/** Lines are no fields: they are focused as Tab would. */
const focus = (selector: string): Promise<void> =>
  page.evaluate((s) => document.querySelector<SVGElement>(s)!.focus(), selector);
const go = (hash: string): Promise<void> => goTo(page, hash);

test('a link says what it carries: chosen, made new, refused where the unit does not fit, and drawn with its way', async () => {
  await go('#/product///link%2Fl-cap-torque-ctrl-torque/inside');
  await until(
    () => text('.pane-head h2'),
    () => true,
    'details are there',
  );
  await until(
    () => valueOf('Item of the link from cap.torque'),
    (s) => s === 'torque',
    'what it carries is named',
  );
  await clickText('.type-tray .btn', 'Items');
  await until(
    () => page.$$eval('.edge-label', (all) => all.map((e) => (e as HTMLElement).innerText)),
    (all) => all.includes('belt order') && all.includes('turning speed'),
    'every link is labelled',
  );
  const arrows = await page.$$eval(
    '.react-flow__edge-path',
    (all) => all.filter((e) => e.getAttribute('marker-end')).length,
  );
  expect(arrows).toBeGreaterThanOrEqual(15);
  await fill('Item of the link from cap.torque', 'angle');
  await until(
    () => page.$$eval('.field-problem', (all) => all.map((e) => (e as HTMLElement).innerText).join()),
    (s) => s.includes('cap.torque is in N.m, but the item angle is in rad'),
    'the misfit is told at its place',
  );
  await fill('Item of the link from cap.torque', 'moment on the cap');
  await until(
    () => page.$$eval('.field-problem', (all) => all.length),
    (n) => n === 0,
    'a new item takes the unit of its link',
  );
  await go('#/product////');
  await until(
    () => text('[data-testid="items"]'),
    () => true,
    'the items are listed',
  );
  await until(
    () => valueOf('Unit of the item moment on the cap'),
    (s) => s === 'N.m',
    'with its unit',
  );
  await click('[aria-label="Delete the item moment on the cap"]');
  await until(
    () => page.$$('[aria-label="Name of the item moment on the cap"]').then((a) => a.length),
    (n) => n === 0,
    'it is gone',
  );
  await page.click('[aria-label^="Undo"]');
  await until(
    () => valueOf('Unit of the item moment on the cap'),
    (s) => s === 'N.m',
    'and back',
  );
});

test('the inside by keyboard: a link is focused, chosen with Enter and given an item', async () => {
  await go('#/product////inside');
  await page.waitForSelector('.react-flow__edge[data-id="l-cap-torque-ctrl-torque"]');
  await focus('.react-flow__edge[data-id="l-cap-torque-ctrl-torque"]');
  await page.keyboard.press('Enter');
  await until(
    () => valueOf('Item of the link from cap.torque'),
    (s) => s === 'torque',
    'its details are open',
  );
  await fill('Item of the link from cap.torque', 'moment');
  await focus('.react-flow__node[data-id]');
  await page.keyboard.press('Enter');
  await until(
    () => page.$$('.part-card.selected').then((a) => a.length),
    (n) => n === 1,
    'a part is chosen the same way',
  );
});

test('a junction built with buttons decides before anything is left', async () => {
  await newChart();
  await fill('Name of the state', 'Waiting');
  await clickText('button', 'Next state');
  await fill('Name of the state', 'Fork');
  await page.select('[aria-label="What it is"]', 'junction');
  await until(
    () => page.$$eval('.state-card.place.junction', (all) => all.length),
    (n) => n === 1,
    'it shows as a junction',
  );
  await click('[data-transition="at once"]');
  await clickText('button', 'Trigger');
  await page.select('[aria-label="Trigger"]', 'after');
  await until(
    () => page.$$('[data-transition="after 1 s"]').then((a) => a.length),
    (n) => n === 1,
    'its way in waits',
  );
  await page.click('[data-state="Fork"] .state-name');
  await clickText('button', 'Next state');
  await fill('Name of the state', 'Early');
  await page.click('[data-state="Fork"] .state-name');
  await clickText('button', 'Next state');
  await fill('Name of the state', 'Late');
  // the way to Early only before half a second: it is taken after one
  await page.evaluate(() => [...document.querySelectorAll<HTMLElement>('[data-transition="at once"]')][0].click());
  await click('[aria-label^="Only if"]');
  await page.keyboard.type("time < 0.5 's'");
  await until(
    () => page.$$eval('[data-transition]', (all) => all.map((e) => e.getAttribute('data-transition'))),
    (all) => all.some((x) => x?.includes("[time < 0.5 's']")),
    'the guard stands on the arrow',
  );
  await run('Careful');
  await until(
    () =>
      page.$$eval('[data-state].lit, .state-card.lit', (all) =>
        all.map((e) => (e as HTMLElement).innerText.split('\n')[0]),
      ),
    (all) => all.includes('Late'),
    'it went the other way',
  );
  const fired = await page.$$eval('.edge-label .fired', (all) => all.map((e) => (e as HTMLElement).innerText));
  expect(fired.filter((x) => x === '1×')).toHaveLength(2);
});

test('a recorded sequence follows the clock on the wall; a run without a screen shows what it came to', async () => {
  await run('Careful');
  await go('#/behaviour////recorded');
  await click('[data-testid="real-time"]');
  const at = async (): Promise<number> => Number(/([\d.]+) s/.exec(await text('[data-testid="sequence-now"]'))![1]);
  const first = await until(at, (t) => t > 0.02, 'the line of now moves');
  const started = Date.now();
  await until(at, (t) => t > first + 0.4, 'and goes on');
  expect(Date.now() - started).toBeGreaterThan(250);
  await until(
    () => page.$eval('[data-testid="real-time"]', (e) => e.getAttribute('aria-pressed')),
    (s) => s === 'false',
    'it stops at the end',
  );

  await go('#/bench///');
  await click('[aria-label="Without a screen"]');
  await pause(150);
  await run('Careful');
  await until(
    () => text('.ribbon-bar'),
    (s) => /12\s*hold/.test(s),
    'its verdicts are there',
  );
});
