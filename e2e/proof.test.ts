import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper, goTo } from './session';

/** Test cases: by stage, one of them, what came of it. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { until, text, fill, click, clickText, area, runStatus, startRun } = person(() => page);
const cell = (name: string, stage: string): Promise<string> =>
  text(`[data-testid="case-matrix"] [data-case="${name}"] [data-stage="${stage}"]`);
const openCase = async (id: string): Promise<void> => {
  await goTo(page, `#/proof////case%2F${id}`);
  await page.waitForSelector('[data-testid="case"]');
};
const lines = '[data-testid="script"] .cm-content';
const typeAtEnd = async (what: string): Promise<void> => {
  await page.click(lines);
  await page.keyboard.down('Control');
  await page.keyboard.press('End');
  await page.keyboard.up('Control');
  await page.keyboard.type(what);
};

test('cases run in stages, spread over threads; what changed since is out of date and can be run alone', async () => {
  await area('Proof');
  await (await page.waitForSelector('[aria-label="Cases with a tag"]'))!.select('controller');
  await until(
    () => text('[data-testid="run-cases"]'),
    (t) => t.trim() === 'Run 27',
    'nine cases in three stages',
  );
  expect(await text('[data-testid="proof-words"]')).toBe('Nothing of this has been run.');
  await click('[data-testid="run-cases"]');
  await until(
    () => text('[data-testid="proof-words"]'),
    (t) => t === '27 of 27 passed.',
    'all pass',
  );
  expect(await cell('One cap, step by step', 'code')).toMatch(/^passed/);
  // one of them says something else now
  await openCase('k-no-tube-comes');
  await typeAtEnd('\nexpect in(mode.Off)');
  await area('Proof');
  await until(
    () => text('[data-testid="run-stale"]'),
    (t) => t.includes('3 out of date'),
    'its outcomes are of another text',
  );
  expect(await cell('No tube comes', 'code')).toContain('out of date');
  expect(await cell('Too hot', 'code')).not.toContain('out of date');
  await click('[data-testid="run-stale"]');
  await until(
    () => text('[data-testid="proof-words"]'),
    (t) => t.startsWith('24 of 27 passed, 3 did not'),
    'only it is run, and fails',
  );
  expect(await cell('No tube comes', 'sampled')).toMatch(/^failed/);
  // what came of them is there when the page comes again
  await page.reload();
  await page.waitForSelector('[data-testid="case-matrix"]');
  await until(
    () => cell('No tube comes', 'sampled').catch(() => ''),
    (t) => t.startsWith('failed'),
    'it is known',
  );
  expect(await cell('Too hot', 'code')).toMatch(/^passed/);
  // for a stage it is not for there is nothing to run
  await (await page.waitForSelector('[aria-label="Cases with a tag"]'))!.select('machine');
  expect(await cell('Guard, as written', 'code')).toBe('not for it');
});

test('one case: why it failed, line by line, and its run with the cursor where it did', async () => {
  await openCase('k-too-hot');
  await typeAtEnd('\nwait 0.1 s\nexpect voltage > 3');
  await click('[data-testid="run-case"]');
  await until(
    () => text('[data-testid="case-outcomes"] [data-stage="code"]'),
    (t) => t.includes('line 13: voltage > 3 did not hold: voltage was 0 V'),
    'it says what it saw',
  );
  expect(await text('[data-testid="case-outcomes"] [data-stage="code"] li.failed')).toContain('expect voltage > 3');
  await clickText('[data-testid="case-outcomes"] [data-stage="code"] button', 'Show the run');
  await until(runStatus, (t) => t.includes('Too hot finished') && t.includes('code'), 'it is the run of the ribbon');
  await until(
    () => text('[data-testid="clock"]'),
    (t) => /^t = 0\.(2|3|4)\d+ s$/.test(t.trim()),
    'the cursor is where it failed',
  );
});

test('what a run did becomes a case by one press, which the same product passes', async () => {
  await area('Bench');
  await startRun(() => clickText('.ribbon-bar button', 'Run'));
  await until(runStatus, (t) => t.includes('Careful finished'), 'it has run');
  await area('Proof');
  await click('[data-testid="case-of-run"]');
  await page.waitForSelector('[data-testid="vectors"]');
  expect(await page.$eval('[aria-label="Name of the case"]', (e) => (e as HTMLInputElement).value)).toBe(
    'Careful as it was',
  );
  expect(await page.$$('[data-testid="vectors"] tbody tr')).toHaveLength(8);
  await click('[data-testid="run-case"]');
  await until(
    () => text('[data-testid="case-outcomes"] [data-stage="asSet"]'),
    (t) => /passed[\s\S]*\d+ of \d+ values came as expected/.test(t),
    'it passes',
  );
});

test('what is not understood is told at its line, and names are known as they are typed', async () => {
  await openCase('k-too-hot');
  await typeAtEnd('\nexpect voltag > 3\nwate 2 s');
  await until(
    () => text('[data-testid="case"] .asks'),
    (t) => t.includes('did you mean voltage?') && t.includes('line 13: This is no line of a script'),
    'both are told',
  );
  await clickText('[data-testid="case"] button', 'What can be written');
  expect(await text('[data-testid="script-forms"]')).toContain('wait until in(ctrl.mode.Ready) within 2');
  // an outcome that could not be had has not passed
  await click('[data-testid="run-case"]');
  await until(
    () => text('[data-testid="case-outcomes"] [data-stage="code"]'),
    (t) => t.includes('could not run'),
    'it could not run',
  );
});

test('a new case: a table with rows from a spreadsheet, that is run, refused where it cannot be, and undone', async () => {
  await area('Proof');
  await clickText('.pane-head button', 'Case');
  await fill('Name of the case', 'A lag');
  await (await page.waitForSelector('[aria-label="What it tries"]'))!.select('setup:u-spindle-on-the-bench');
  await click('[data-testid="add-column"]');
  await fill('What is given or expected', 'speed');
  await fill('± for speed', '0.05');
  await click('[data-testid="add-row"]');
  await page.waitForSelector('[aria-label="Time of row 1"]');
  await page.$eval('[aria-label="Time of row 1"]', (e) => {
    const data = new DataTransfer();
    data.setData('text/plain', '0.05\t0\n0.9\t11.4\n1.9\t20\n');
    e.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  });
  await page.waitForSelector('[aria-label="speed in row 3"]');
  await click('[data-testid="run-case"]');
  await until(
    () => text('[data-testid="case-outcomes"] [data-stage="asSet"]'),
    (t) => t.includes('row 3, 1.9 s: speed was 25.655 rad/s, 20 rad/s within') && t.includes('2 of 3 values'),
    'it says which row, and by how much',
  );
  await fill('speed in row 3', '25.65');
  await click('[data-testid="run-case"]');
  await until(
    () => text('[data-testid="case-outcomes"] [data-stage="asSet"]'),
    (t) => t.startsWith('as set up') && t.includes('passed') && t.includes('3 of 3 values'),
    'it passes',
  );
  // what is no time is refused, and nothing of it is taken
  await page.$eval('[aria-label="Time of row 1"]', (e) => {
    const data = new DataTransfer();
    data.setData('text/plain', 'later\t0\n');
    e.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  });
  await until(
    () => text('.notice'),
    (t) => t.includes('later in row 1 is no time in s: nothing was pasted'),
    'it says so',
  );
  await fill('speed in row 3', "3 's'");
  await until(
    () => text('[data-testid="vectors"]'),
    (t) => /speed/.test(t),
    'the cell stays',
  );
  await until(
    () => page.$$eval('[data-testid="vectors"] .field-problem', (all) => all.map((e) => e.textContent).join()),
    (t) => t.includes('speed'),
    'a value of another unit is told at its cell',
  );
  await click('[data-testid="undo"]');
  await until(
    () => page.$eval('[aria-label="speed in row 3"]', (e) => (e as HTMLInputElement).value),
    (v) => v === '25.65',
    'undone',
  );
});
