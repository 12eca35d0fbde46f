import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle, Page } from 'puppeteer-core';
import { person } from './person';
import { freshSample, goTo } from './session';

/** Studies as an engineer asks them: typed, asked, stopped, read, opened as runs, taken over, and there after a reload. */
const session = freshSample('heated-block');
let page: Page;
beforeEach(() => void (page = session.page));
const { until, text, fill, click, clickText, run, runStatus, startRun, field } = person(() => page);
const wait = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));

const words = (): Promise<string> => text('[data-testid="study-words"]');
const answerText = (): Promise<string> => text('[data-testid="study-answer"]');
const notice = (): Promise<string> => text('.notice');
const isAsking = (): Promise<boolean> => page.$('[data-testid="asking"]').then((e) => e !== null);
const begin = async (kind: string): Promise<void> => {
  await click('[data-testid="new-study"]');
  await clickText('.study-kinds strong', kind);
  await page.waitForSelector('[data-testid="study"]');
};
/** Adds a row and types its name and its range. */
const vary = async (name: string, range: string): Promise<void> => {
  const before = (await page.$$('[data-testid="study-values"] tr')).length;
  await click('[data-adds$="/value"]');
  await until(
    async () => (await page.$$('[data-testid="study-values"] tr')).length,
    (n) => n === before + 1,
    'a row is there',
  );
  await wait(80);
  const at = async (which: number): Promise<void> => {
    const inputs = await page.$$('[data-testid="study-values"] tr:last-child input');
    await inputs[which].evaluate((e) => {
      (e as HTMLInputElement).focus();
      (e as HTMLInputElement).select();
    });
  };
  await at(0);
  await page.keyboard.type(name);
  await page.keyboard.press('Tab');
  await at(1);
  await page.keyboard.type(range);
  await page.keyboard.press('Tab');
};
const ask = async (): Promise<void> => {
  await until(
    () => page.$eval('[data-testid="ask-study"]', (e) => (e as HTMLButtonElement).disabled),
    (x) => !x,
    'it can be asked',
  );
  await click('[data-testid="ask-study"]');
};
const answered = (): Promise<unknown> =>
  until(
    async () => (await isAsking()) || (await page.$('[data-testid="study-when"]')) === null,
    (x) => !x,
    'it is answered',
  );
/** Waits until what has been changed is kept. */
const saved = (): Promise<unknown> =>
  until(
    () => text('.top-bar'),
    (s) => s.includes('saved'),
    'it is kept',
  );

test('one value: typed wrong and right, asked, located, a run of it opened, and there after a reload', async () => {
  await begin('Vary');
  expect(await page.$eval('[data-testid="ask-study"]', (e) => (e as HTMLButtonElement).disabled)).toBe(true);
  await vary('control.reset', '20:200');
  await until(answerText, (s) => s.includes('Not asked yet'), 'nothing was asked');
  await until(
    () => text('[data-testid="study-values"]'),
    (s) => s.includes('A range is from:to:count'),
    'what is wrong stands at its place',
  );
  await fill('Values of control.reset', '20:200:10');
  await until(
    () => text('[data-testid="study-values"]'),
    (s) => s.includes('10 values, 20 s apart') && s.includes('130 s as designed'),
    'it says what that means',
  );
  await ask();
  await answered();
  expect(await text('[data-testid="study-when"]')).toMatch(/^10 runs of Heat up/);
  const changing = await page.$$eval('[data-testid="shares"] tbody tr', (rows) =>
    rows.map((r) => (r as HTMLElement).innerText.replace(/\s+/g, ' ')),
  );
  expect(changing.some((r) => /BLK-01 \d of 10/.test(r))).toBe(true);
  await clickText('.study-tools button', 'Locate where verdicts change');
  const found = await until(
    words,
    (s) => /BLK-0\d fails (from|up to) control\.reset = [\d.]+ s/.test(s),
    'the crossing is told',
  );
  const [, way, at] = /(from|up to) control\.reset = ([\d.]+) s/.exec(found)!;
  expect(Number(at)).toBeGreaterThan(20);
  expect(Number(at)).toBeLessThan(200);
  // a run on the failing side, chosen by the keyboard and opened in the ribbon
  await (await page.waitForSelector('.run-plot [role="slider"]'))!.focus();
  await page.keyboard.press(way === 'from' ? 'ArrowLeft' : 'ArrowRight');
  await until(
    () => text('[data-testid="chosen-run"]'),
    (s) => s.includes('fails'),
    'the run is shown beside',
  );
  const margin = /BLK-0\d\s+fails\s+([−\d.]+)/.exec(await text('[data-testid="chosen-run"]'))![1];
  await startRun(() => clickText('[data-testid="chosen-run"] button', 'Open this run'));
  await until(runStatus, (s) => s.includes('finished'), 'it is there');
  expect((await text('.ribbon')).replace(/-/g, '−')).toContain(`fails by ${margin.replace(/[−-]/, '')}`);
  await saved();
  await page.reload();
  await until(words, (s) => s.includes(`control.reset = ${at} s`), 'what was found is there after a reload');
  // another range: what was found is of an earlier question
  await fill('Values of control.reset', '20:200:7');
  await until(
    () => text('[data-testid="study-when"]'),
    (s) => s.includes('Out of date: the study has changed'),
    'it says so',
  );
  await page.keyboard.press('Escape');
  await page.evaluate(() => (document.activeElement as HTMLElement).blur());
  await page.keyboard.down('Control');
  await page.keyboard.press('z');
  await page.keyboard.up('Control');
  await until(
    () => text('[data-testid="study-when"]'),
    (s) => !s.includes('Out of date'),
    'and no more once it is taken back',
  );
});

test('two values make a map, more make lines; drawn ones have an interval; a long study is stopped and keeps what is there', async () => {
  await begin('Vary');
  await vary('control.reset', '25, 80, 130');
  await vary('plant.room', '275:300:3');
  await ask();
  await answered();
  await until(answerText, (s) => s.includes('Deeper colour is more of a margin'), 'a map is drawn');
  expect(await page.$('[data-testid="shares"] .share-bar')).toBeNull();
  await vary('control.gain', 'normal(4.5, 0.3)');
  await fill('Draws', '2000');
  await until(
    () => text('[data-testid="ask-study"]'),
    (s) => s.includes('18,000 runs'),
    'it says how many',
  );
  await ask();
  await until(
    async () =>
      (await isAsking()) &&
      Number(/([\d,]+) of 18,000/.exec(await text('[data-testid="asking"]'))?.[1].replace(',', '') ?? 0),
    (n) => Number(n) > 3,
    'runs come',
  );
  await page.waitForSelector('.run-plot[aria-label*="a line is a run"]');
  await clickText('.pane-head button', 'Stop');
  await answered();
  expect(await text('[data-testid="study-when"]')).toContain('it was stopped before its end');
  const kept = Number(/^([\d,]+) runs/.exec(await text('[data-testid="study-when"]'))![1].replace(',', ''));
  expect(kept).toBeGreaterThan(3);
  expect(kept).toBeLessThan(18_000);
  expect(await page.$('[data-testid="shares"] .share-bar')).not.toBeNull();
});

test('the best value is applied to the design by one press, and taken back by undo', async () => {
  await begin('Best value');
  await vary('control.reset', '60:400');
  await click('[data-adds$="/aim"]');
  await wait(80);
  await fill('Name of the formula', 'time in the heater', true);
  await fill('Formula that is sought', 'highest(plant.heaterTemperature)', false);
  await page.keyboard.press('Tab');
  await fill('Runs', '40');
  await ask();
  await answered();
  await until(words, (s) => s.includes('time in the heater comes down to'), 'it says what was found');
  const value = await page.$eval('[data-testid="found-values"] tbody td:last-child', (e) => e.textContent!);
  await clickText('.study-tools button', 'Apply to the design');
  await until(notice, (s) => s.includes('The design has control.reset ='), 'it is told');
  await goTo(page, '#/product/control///');
  const shown = (): Promise<string> =>
    page.$$eval('input', (all) => all.map((e) => e.value).find((v) => /^\d+\.\d{6,}$/.test(v)) ?? '');
  await until(
    shown,
    (s) => s !== '' && value.startsWith(String(Number(Number(s).toPrecision(6)))),
    'the design has it',
  );
  await page.keyboard.down('Control');
  await page.keyboard.press('z');
  await page.keyboard.up('Control');
  await until(shown, (s) => s === '', 'and no more once it is taken back');
});

test('what breaks it is kept as a setup that fails like it did', async () => {
  await begin('What breaks it');
  await page.select(
    '[aria-label="Requirement that is to be broken"]',
    await page.$eval(
      '[aria-label="Requirement that is to be broken"]',
      (e) => [...(e as HTMLSelectElement).options].find((o) => o.text.startsWith('BLK-01'))!.value,
    ),
  );
  await vary('control.reset', '20:150');
  await vary('plant.room', '290:296');
  await fill('Runs', '40');
  await ask();
  await answered();
  const found = await until(words, (s) => /BLK-01 fails by/.test(s), 'a case is found');
  expect(await text('[data-testid="found-case"]')).toContain('as designed: it does not matter here');
  await clickText('.study-tools button', 'Keep as a setup');
  await until(notice, (s) => s.includes('Kept as the setup BLK-01 broken'), 'it is kept');
  await clickText('.ribbon-bar button', 'Run');
  await until(runStatus, (s) => s.includes('BLK-01 broken finished'), 'it runs');
  const by = /fails by ([\d.]+)/.exec(found)![1];
  const shown = /BLK-01\s+fails by ([\d.]+)/.exec(await text('.ribbon'))![1];
  expect(Math.abs(Number(shown) / Number(by) - 1)).toBeLessThan(0.01);
});

test('a recording is brought and fitted; what cannot be read is told and nothing is taken', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-study-'));
  const [bad, good] = ['bad.csv', 'block.csv'].map((n) => join(folder, n));
  writeFileSync(bad, 'time,temp [degC]\n0,20\n1,warm\n2,22\n');
  // a block of 300 J/K at 20 W, with the loss of the room; nearly one mass
  const [c, g] = [300, 0.3];
  const rows = Array.from({ length: 90 }, (_, k) => {
    const t = 10 * k;
    return `${t},${(20 + (20 / g) * (1 - Math.exp((-g * t) / c))).toFixed(3)}`;
  });
  writeFileSync(good, `time,block [degC]\n${rows.join('\n')}\n`);
  await begin('Fit');
  const input = async (): Promise<ElementHandle<HTMLInputElement>> =>
    (await page.$('[aria-label="Recording as CSV"]')) as ElementHandle<HTMLInputElement>;
  await (await input()).uploadFile(bad);
  await until(notice, (s) => s.includes('bad.csv') && s.includes('warm'), 'what is wrong is told');
  expect(await page.$('[data-testid="measured-columns"]')).toBeNull();
  await (await input()).uploadFile(good);
  await page.waitForSelector('[data-testid="measured-columns"]');
  // the plant alone, with its power as measured: a setup of its own
  await vary('plant.body.C', '50:900');
  await fill('Quantity that block is', 'plant.temperature');
  await ask();
  await answered();
  await until(
    () => text('[data-testid="fitted-values"]'),
    (s) => /plant\.body\.C/.test(s),
    'a value is found',
  );
  expect(await words()).toContain('hangs together in time: the model does not explain all');
  expect((await page.$$('.answers canvas')).length).toBe(3);
  expect(await text('[data-testid="study-when"]')).toMatch(/runs of Heat up/);
});

test('setups and a run made before are compared: where they first differ, their tracks, their verdicts', async () => {
  await run('Hasty');
  await begin('Compare');
  await ask();
  await answered();
  const first = /Hasty and Heat up first differ at ([\d.]+) s/;
  const found = await until(words, (s) => first.test(s), 'the first difference is told');
  const verdicts = await text('[data-testid="compared-verdicts"]');
  // the same setup as it was run, in its place
  const use = (name: string): Promise<void> =>
    page.evaluate((n) => {
      const labels = [...document.querySelectorAll<HTMLElement>('[data-testid="study-question"] label')];
      labels.find((e) => e.innerText.trim().startsWith(n))!.click();
    }, name);
  await use('Hasty, ');
  await use('Hasty');
  await ask();
  const ofRun = /Hasty, .+:.+ and Heat up first differ at ([\d.]+) s/;
  const again = await until(words, (s) => ofRun.test(s), 'it differs from the run that was made before');
  expect(ofRun.exec(again)![1]).toBe(first.exec(found)![1]);
  expect((await text('[data-testid="compared-verdicts"]')).replace(/Hasty, [^\t\n]*/, 'Hasty')).toBe(verdicts);
  expect(await text('[data-testid="compared-verdicts"]')).toContain('BLK-01');
  await fill('Search compared tracks', 'plant.temp', false);
  await until(
    () => page.$$eval('[data-testid="compared-columns"] tbody tr', (r) => r.length),
    (n) => n === 1,
    'tracks are found by name',
  );
  await clickText('[data-testid="compared-columns"] .link-like', 'plant.temperature');
  expect((await page.$$('.answers canvas')).length).toBe(2);
  // one more, aligned at what never comes
  await fill('What comes at one time in all of them', "plant.temperature > 500 'K'");
  await ask();
  await until(
    () => text('[data-testid="study-question"]'),
    (s) => s.includes('plant.temperature never comes above 500'),
    'it is told at its place',
  );
});

test('studies stand in the outline, are found there, copied and deleted; an empty project has none', async () => {
  await begin('What matters');
  await vary('control.gain', '2:8');
  await vary('control.reset', '60:300');
  await fill('Name of the study', 'Which of them');
  await fill('Runs', '80');
  await ask();
  await answered();
  expect(await words()).toMatch(/decides most of/);
  expect(await page.$$eval('[data-testid="matters"] tbody tr', (r) => r.length)).toBe(2);
  const rows = (): Promise<string[]> =>
    page.$$eval('.outline-row', (all) => all.map((e) => (e as HTMLElement).innerText.split('\n')[0]));
  await until(rows, (r) => r.includes('Which of them'), 'it stands in the outline');
  await click('[aria-label="Copy this study"]');
  await until(rows, (r) => r.includes('Which of them copy'), 'a copy is there');
  await until(answerText, (s) => s.includes('Not asked yet'), 'which has not been asked');
  await field('Search the outline');
  await fill('Search the outline', 'which', false);
  await until(rows, (r) => r.length === 3 && !r.includes('Heat up'), 'they are found');
  await click('[aria-label="Delete this study"]');
  await until(rows, (r) => !r.includes('Which of them copy'), 'the copy is gone');
  expect((await page.$('.setup-tabs')) !== null).toBe(true);
});
