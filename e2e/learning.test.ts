import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper, goTo } from './session';

/** Estimators: what is known at the cursor, kept as a model that stays, and how long that follows a bearing that wears. */
const session = freshCapper();
let page: Page;
beforeEach(() => void (page = session.page));
const { until, text, click, clickText, fill, run } = person(() => page);

/** Puts the cursor of the ribbon to a share of the whole run. */
const cursorTo = async (share: number): Promise<void> => {
  const { x, width, y, height } = await page.$eval('.ribbon canvas', (e) => {
    const box = e.getBoundingClientRect();
    return { x: box.x, y: box.y, width: box.width, height: box.height };
  });
  await page.mouse.click(x + 52 + share * (width - 52), y + height / 2);
};
const values = (): Promise<string[]> =>
  page.$$eval('[data-testid="learnt-values"] tbody tr', (rows) => rows.map((r) => (r as HTMLElement).innerText));

test('a worn bearing: values with their bands, the model of the healthy one follows until it wears', async () => {
  await goTo(page, '#/control//t-spindlewatch//learnt');
  await until(
    () => text('[data-testid="learnt"]'),
    (s) => s.includes('Nothing has run yet'),
    'before a run it says what to do',
  );
  await run('Worn bearing');
  await page.waitForSelector('[data-testid="learnt-values"]');
  // at the end the friction has doubled
  await until(values, (v) => /of turning.*\s0\.00(039|040)\d*/s.test(v[1]), 'the worn friction');
  await cursorTo(38 / 60);
  await until(
    values,
    (v) => /of turning.*\s0\.000(19|20)\d*/s.test(v[1]) && v[1].includes('least certain'),
    'the good one',
  );
  expect((await values())[0]).toMatch(/of growth\s+0\.0009\d+ kg\.m2/);
  expect(await text('[data-testid="learnt-error"]')).toContain('noise of a difference');
  expect(await page.$$eval('[data-testid="correlation"] tbody tr', (r) => r.length)).toBe(2);
  expect(await page.$eval('[aria-label="What the model gives"]', (e) => (e as HTMLSelectElement).value)).toBe('speed');
  // put to about the moment of the change: no false alarm before it, and how long it took
  await cursorTo(39 / 60);
  await until(
    () => text('[data-testid="alarms"]'),
    (s) => /wear\s+0\s+\S+ s later, at 41\.\d+ s\s+says it began at about 40\.\d+ s/.test(s),
    'false alarms, and the time it took',
  );
  await cursorTo(38 / 60);
  await click('[data-testid="keep-model"]');
  await until(
    () => text('[data-testid="follows"]'),
    (s) => s.includes('Run the setup once more'),
    'the run at hand does not have it',
  );
  await run('Worn bearing');
  await until(
    () => text('[data-testid="follows-told"]'),
    (s) => /within 3 rad\/s from \S+ to 4[01]\S* s: fit \d\d/.test(s) && s.includes('Then it leaves the band'),
    'it follows until the bearing wears',
  );
  await fill('Band around speed', 'much');
  await until(
    () => text('[data-testid="follows"]'),
    (s) => s.includes('"much" is not a number'),
    'what is no number is told',
  );
  await fill('Band around speed', '100');
  await until(
    () => text('[data-testid="follows-told"]'),
    (s) => s.includes('stays within 100 rad/s all the time'),
    'another band',
  );
  // it is a line of the sheet, with a word of where it comes from, and one undo takes both away
  await clickText('[aria-label="What of the control"] button', 'Sheet');
  await page.waitForSelector('[data-line="speedFixed"]');
  expect(await text('[data-testid="signal-board"]')).toMatch(/what est knew of speed at 3\d\S* s of Worn bearing/);
  await page.keyboard.down('Control');
  await page.keyboard.press('KeyZ');
  await page.keyboard.up('Control');
  await until(
    () => page.$('[data-line="speedFixed"]'),
    (e) => e === null,
    'taken back',
  );
});

test('a part type without an estimator begins with one', async () => {
  await goTo(page, '#/control/panel///learnt');
  await clickText('button', 'Begin with an estimator');
  await page.waitForSelector('[data-line="est"]');
  expect(await page.$$eval('[data-line]', (all) => all.length)).toBe(2);
});

test('regressors from the equations of the spindle: what is linear is put on a sheet, why the rest is not is told', async () => {
  await goTo(page, '#/control/gripper///learnt');
  await page.waitForSelector('[data-testid="regressors"]');
  const select = '[aria-label="Part type whose equations are taken"]';
  const value = await page.$eval(
    select,
    (e) => [...(e as HTMLSelectElement).options].find((o) => o.text === 'SpindleDrive')!.value,
  );
  await page.select(select, value);
  const toggle = (name: string): Promise<void> => click(`[aria-label="${name}"]`);
  for (const name of ['command', 'supply', 'torque', 'power']) await toggle(`Measured: ${name}`);
  for (const name of ['friction', 'Js', 'Rwc']) await toggle(`Not known: ${name}`);
  await clickText('button', 'Take the equations apart');
  await until(
    () => text('[data-testid="regressions"]'),
    (s) =>
      /friction · \(speedMean \/ \(gear \* efficiency\)\) \+ Js · \(speedRate/.test(s) && /Rwc: .*measured/.test(s),
    'the sum, and why not the winding',
  );
  // another question takes the answer away
  await toggle('Measured: load');
  await until(
    () => page.$('[data-testid="regressions"]'),
    (e) => e === null,
    'the answer belongs to its question',
  );
  await toggle('Measured: load');
  await clickText('button', 'Take the equations apart');
  await click('[data-testid="put-estimator"]');
  await page.waitForSelector('[data-line="est"]');
  await until(
    () => text('[data-testid="signal-board"]'),
    (s) => s.includes('frictionFound') && s.includes('leastSquares(known, {frictionFactor, JsFactor}'),
    'lines of a sheet',
  );
  await page.keyboard.down('Control');
  await page.keyboard.press('KeyZ');
  await page.keyboard.up('Control');
  await until(
    () => page.$('[data-line="est"]'),
    (e) => e === null,
    'one step back takes all of it away',
  );
});
