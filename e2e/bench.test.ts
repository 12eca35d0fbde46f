import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle, Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper, goTo } from './session';

/** Setups as a person writes them: with wrong things typed, taken back, compared, and run. */
const session = freshCapper();
let page: Page;
beforeEach(() => void (page = session.page));
const { until, text, valueOf, fill, click, clickText, area, setup, run, runStatus, startRun } = person(() => page);

const refusals = (): Promise<string[]> =>
  page.$$eval('.bench .field-problem[role=alert]', (all) => all.map((e) => (e as HTMLElement).innerText));
const told = (pattern: RegExp, what: string): Promise<string[]> =>
  until(refusals, (all) => all.some((s) => pattern.test(s)), what);
const nothingTold = (): Promise<string[]> => until(refusals, (all) => all.length === 0, 'nothing is wrong any more');
const undo = (): Promise<void> => click('[aria-label^="Undo"]');
const rows = (table: string): Promise<number> => page.$$eval(`[data-testid="${table}"] tbody tr`, (r) => r.length);

test('numbers of a setup: what is none is refused at its place and stays to be mended; Escape takes it back', async () => {
  await area('Bench');
  await setup('Careful');
  for (const [label, wrong, why, kept] of [
    ['Duration', 'soon', /"soon" is not a number/, '2'],
    ['Duration', '0', /more than 0/, '2'],
    ['Relative tolerance', '-1', /more than 0/, '0.000001'],
    ['Absolute tolerance', 'small', /"small" is not a number/, '1e-9'],
    ['Record every', '', /is not a number/, '0.001'],
  ] as const) {
    const before = await valueOf(label);
    expect([label, Number(before)]).toEqual([label, Number(kept)]);
    if (wrong === '') {
      await (await page.waitForSelector(`[aria-label="${label}"]`))!.evaluate((e) => (e as HTMLInputElement).select());
      await page.focus(`[aria-label="${label}"]`);
      await page.keyboard.press('Backspace');
      await page.keyboard.press('Enter');
    } else await fill(label, wrong);
    await told(why, `${label}: ${wrong} is refused`);
    expect(await valueOf(label)).toBe(wrong);
    await page.focus(`[aria-label="${label}"]`);
    await page.keyboard.press('Escape');
    await nothingTold();
    expect(await valueOf(label)).toBe(before);
  }
  // a unit behind the number is understood, and the change is one step back
  await fill('Duration', '1.5 s');
  await until(
    () => valueOf('Duration'),
    (v) => v === '1.5',
    'the duration',
  );
  await run('Careful');
  expect(await text('[data-testid="clock"]')).toContain('1.5');
  await undo();
  await until(
    () => valueOf('Duration'),
    (v) => v === '2',
    'as it was',
  );
});

test('names in a setup: values, states, conditions and recordings say what they do not find, before anything runs', async () => {
  await area('Bench');
  await setup('Careful');
  const cases: readonly (readonly [label: string, wrong: string, right: string])[] = [
    ['States it starts in', 'ctrl.mode.Nowhere', 'ctrl.mode.Press'],
    ['Condition that ends the run', 'spindle.torqu > 1', "spindle.torque > 0.4 'N.m'"],
    ['What the run records', 'spindle.spede', 'spindle.speed, spindle.torque'],
  ];
  for (const [label, wrong, right] of cases) {
    await fill(label, wrong);
    const [why] = await told(/\w/, `${label}: ${wrong}`);
    expect(why).toMatch(/Nowhere|torqu|spede/);
    await fill(label, right);
    await nothingTold();
  }
  await clickText('.section-title button', 'Value');
  await fill('Quantity to change', 'ctrl.creepSped');
  await told(/creepSped/, 'a changed value of nothing');
  await fill('Quantity to change', 'ctrl.creepSpeed');
  await nothingTold();
  await fill('Value of ctrl.creepSpeed', "3 'V'");
  await told(/V/, 'volts are no speed');
  await fill('Value of ctrl.creepSpeed', "700 'deg/s'");
  await nothingTold();
  await run('Careful');
  // it began where it was told to, and ended with its condition
  await until(
    () => text('[data-testid="clock"]'),
    (s) => Number(/([\d.]+) s/.exec(s)![1]) < 1,
    'the condition has ended the run',
  );
  await click('button[aria-label="Leave ctrl.creepSpeed as designed"]');
  await until(
    () => rows('changes'),
    (n) => n === 0,
    'as designed again',
  );
});

test('a fixed step instead of a tolerance; the report tells how it was computed', async () => {
  await area('Bench');
  await setup('Careful');
  await page.select('select[aria-label="Solver"]', 'rk4');
  await until(
    async () => [await page.$('[aria-label="Step"]'), await page.$('[aria-label="Relative tolerance"]')],
    ([step, tolerance]) => step !== null && tolerance === null,
    'a step instead of tolerances',
  );
  await fill('Step', '0.0005');
  await run('Careful');
  const facts = await text('.bench');
  expect(facts).toMatch(/finished at 2 s: [\d,  ]+ steps \(0 rejected\)/);
  expect(await text('[data-testid="solver-report"]')).toMatch(/Time went into steps \d+ %/);
  await until(
    () => text('[data-testid="summary"]'),
    (s) => s.startsWith('12 hold'),
    'the same verdicts as with error control',
  );
});

test('what happens from outside: rows are added, sent elsewhere, set, follow a formula, come from a file, and go', async () => {
  await area('Bench');
  await setup('Careful');
  expect(await rows('stimulus')).toBe(1);
  await clickText('.section-title button', 'Row');
  await until(
    () => rows('stimulus'),
    (n) => n === 2,
    'another row',
  );
  const cell = (label: string): string => `[data-testid="stimulus"] tr:nth-child(2) [aria-label="${label}"]`;
  const put = async (label: string, value: string): Promise<void> => {
    await (await page.waitForSelector(cell(label)))!.evaluate((e) => {
      (e as HTMLInputElement).focus();
      (e as HTMLInputElement).select();
    });
    await page.keyboard.type(value);
    await page.keyboard.press('Tab');
  };
  await put('Time in s', 'later');
  await told(/A time in seconds/, 'no time');
  await put('Time in s', '0.5');
  await put('Part and message', 'panel.stopp');
  await told(/stopp/, 'a message nobody knows');
  await page.select(cell('What happens'), 'set');
  await put('Quantity', 'guard.open');
  await put('Value', '3');
  await told(/./, 'a guard is open or not');
  await put('Value', 'true');
  await nothingTold();
  await run('Careful');
  const seen = await text('[data-testid="summary"]');
  await undo();
  await until(
    () => page.$eval(cell('Value'), (e) => (e as HTMLInputElement).value),
    (v) => v === '3',
    'one step back',
  );
  await click('[data-testid="stimulus"] tr:nth-child(2) [aria-label="Delete this row"]');
  await until(
    () => rows('stimulus'),
    (n) => n === 1,
    'the row is gone',
  );
  await run('Careful');
  expect(await text('[data-testid="summary"]')).not.toBe(seen);

  // signals of a file become rows that follow them
  const file = join(mkdtempSync(join(tmpdir(), 'zelvar-signals-')), 'signals.csv');
  writeFileSync(file, 'time [s],guard.open\n0,0\n0.4,0\n0.5,1\n2,1\n');
  const input = (await page.$('[aria-label="CSV file of signals"]')) as ElementHandle<HTMLInputElement>;
  await input.uploadFile(file);
  await until(
    () => rows('stimulus'),
    (n) => n === 2,
    'a row that follows the file',
  );
  expect(await page.$eval(cell('Formula of guard.open'), (e) => (e as HTMLTextAreaElement).value)).toContain('0.5');
});

test('setups are copied, compared with what they came from, and deleted with what that means', async () => {
  await area('Bench');
  await setup('Careful');
  await click('button[aria-label="Copy this setup"]');
  await until(
    () => valueOf('Name of the setup'),
    (v) => v === 'Careful copy',
    'a copy is open',
  );
  await fill('Name of the setup', 'Eager');
  // two setups may not be confused: either it is refused, or the list tells them apart
  const names = await page.$$eval('select[aria-label="Setup"] option', (all) =>
    all.map((o) => (o as HTMLOptionElement).text),
  );
  expect(names.filter((n) => n === 'Eager').length).toBeLessThanOrEqual(2);
  await fill('Name of the setup', 'Slow');
  await fill('Duration', '3');
  await page.select('select[aria-label="Setup to compare with"]', 'u-careful');
  await until(
    () => text('[data-testid="setup-differences"]'),
    (s) => /duration in s\s+3\s+2/.test(s) && !s.includes('solver'),
    'they differ in their duration',
  );
  await fill('Duration', '2');
  await until(
    () => text('.bench'),
    (s) => s.includes('They differ in their names only.'),
    'and in nothing else',
  );
  await click('button[aria-label="Delete this setup"]');
  await until(
    async () =>
      page.$$eval('select[aria-label="Setup"] option', (all) => all.map((o) => (o as HTMLOptionElement).text)),
    (all) => !all.includes('Slow'),
    'it is gone',
  );
  await undo();
  await until(
    async () =>
      page.$$eval('select[aria-label="Setup"] option', (all) => all.map((o) => (o as HTMLOptionElement).text)),
    (all) => all.includes('Slow'),
    'and back',
  );
});

test('a run that cannot begin says why at the ribbon, one that goes wrong says when and where', async () => {
  await goTo(page, '#/physics/spindle//');
  await page.waitForSelector('.cm-content');
  await page.click('.cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press('End');
  await page.keyboard.up('Control');
  await page.keyboard.type('\nassert(time < 0.6, "the brush has worn through");');
  await setup('Careful');
  await startRun(() => clickText('.ribbon-bar button', 'Run'));
  const status = await until(runStatus, (s) => s.startsWith('stopped'), 'the run has stopped');
  expect(status).toMatch(/the brush has worn through/);
  expect(await text('[data-testid="clock"]')).toMatch(/0\.6/);
  await undo();
  await run('Careful');
});
