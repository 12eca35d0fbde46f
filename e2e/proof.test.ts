import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle, Page } from 'puppeteer-core';
import { tubeCapper } from '@/samples/tube-capper';
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

test('by keyboard: to the area and into a case, with everything around it still there', async () => {
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  await page.keyboard.press('g');
  await page.keyboard.press('o');
  await page.waitForSelector('[data-testid="case-matrix"]');
  // a key of an area is none that does something by itself
  await page.waitForSelector('[data-testid="tracks"]');
  await page.waitForSelector('[aria-label="Outline"]');
  await page.focus('[data-case="Too hot"] button');
  await page.keyboard.press('Enter');
  await page.waitForSelector('[data-testid="case"]');
});

test('cases run in stages, spread over threads; what changed since is out of date and can be run alone', async () => {
  await area('Proof');
  await (await page.waitForSelector('[aria-label="Cases with a tag"]'))!.select('controller');
  await until(
    () => text('[data-testid="run-cases"]'),
    (t) => t.trim() === 'Run 30',
    'ten cases in three stages',
  );
  expect(await text('[data-testid="proof-words"]')).toBe('Nothing of this has been run.');
  await click('[data-testid="run-cases"]');
  await until(
    () => text('[data-testid="proof-words"]'),
    (t) => t === '30 of 30 passed.',
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
    (t) => t.startsWith('27 of 30 passed, 3 did not'),
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
  // tracks of the product that speak of it are shown of it, and the axis is as long as the run
  await page.waitForSelector('[data-track-item="capperControl.wanted"]');
  expect(await page.$eval('[aria-label="Time cursor"]', (e) => Number(e.getAttribute('aria-valuemax')))).toBeLessThan(
    1,
  );
});

test('one case: while a stage takes long it is told how far it is, and it can be stopped', async () => {
  // whoever is asked for the code never hears of it
  const asked = await page.evaluate(() => {
    const post = Object.getOwnPropertyDescriptor(Worker.prototype, 'postMessage')!.value as (...all: unknown[]) => void;
    Worker.prototype.postMessage = function (this: Worker, ...all: unknown[]) {
      if (!JSON.stringify(all[0]).includes('"value":"code"')) post.apply(this, all);
    };
    return typeof post;
  });
  expect(asked).toBe('function');
  await openCase('k-ready-after-switching-on');
  await click('[data-testid="run-case"]');
  await until(
    () => text('[data-testid="stop-case"]'),
    (t) => t.trim() === 'Stop, 2 of 3 through',
    'the code is waited for',
  );
  expect(await page.$('[data-testid="run-case"]')).toBeNull();
  await page.focus('[data-testid="stop-case"]');
  await page.keyboard.press('Enter');
  await until(
    () => text('[data-testid="run-case"]'),
    (t) => t.trim() === 'Run in 3 stages',
    'it can be run again',
  );
  // what came meanwhile is kept, and nothing is said of what did not
  const outcome = (stage: string): Promise<string> => text(`[data-testid="case-outcomes"] [data-stage="${stage}"]`);
  expect(await outcome('asSet')).toMatch(/passed/);
  expect(await outcome('sampled')).toMatch(/passed/);
  expect(await outcome('code')).not.toMatch(/passed|runs/);
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
  // a file takes the place of the table, or nothing of it is taken
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-table-'));
  const upload = async (name: string, what: string): Promise<void> => {
    writeFileSync(join(folder, name), what);
    const input = (await page.$('[aria-label="File of a table"]')) as ElementHandle<HTMLInputElement>;
    await input.uploadFile(join(folder, name));
  };
  await upload('wrong.csv', 'time [ms],current\n0,1\n,2\n');
  await until(
    () => text('[data-testid="table-refused"]'),
    (t) => /Nothing was taken from wrong\.csv.*B1 It is not said what current is.*A3 The row has no time/s.test(t),
    'what is wrong is told by its cell',
  );
  expect(await page.$('[aria-label="speed in row 3"]')).not.toBeNull();
  await upload('right.csv', 'time [ms],speed,expect current [A] ± 50 %\n50,0,\n900,11.4,\n1900,25.65,0.5\n');
  await page.waitForSelector('[aria-label="current in row 3"]');
  expect(await page.$('[data-testid="table-refused"]')).toBeNull();
  await click('[data-testid="run-case"]');
  await until(
    () => text('[data-testid="case-outcomes"] [data-stage="asSet"]'),
    (t) => /of 4 values/.test(t),
    'it runs with what was in the file',
  );
  await click('[data-testid="undo"]');
  await until(
    () => page.$$eval('[aria-label="current in row 3"]', (all) => all.length),
    (n) => n === 0,
    'it is one step to undo',
  );
});

test('coverage: what cases come through, what is missing and why, a proposed case, an excuse, and marks on the sheets', async () => {
  await area('Proof');
  await clickText('button', 'Coverage');
  await page.waitForSelector('[data-testid="coverage-types"]');
  expect(await text('[data-testid="coverage-words"]')).toBe('No run is known that is not out of date.');
  // only those of the controller are run
  await clickText('button', 'Test cases');
  await (await page.waitForSelector('[aria-label="Cases with a tag"]'))!.select('controller');
  await click('[data-testid="run-cases"]');
  await until(
    () => text('[data-testid="proof-words"]'),
    (t) => t === '30 of 30 passed.',
    'all pass',
  );
  await clickText('button', 'Coverage');
  await until(
    () => text('[data-testid="coverage-words"]'),
    (t) => /^51\.\d % of what has to be come through: 98 of 190, by 30 runs\.$/.test(t),
    'what they come through',
  );
  await clickText('[data-testid="coverage-types"] button', 'CapperControl');
  const items = '[data-testid="coverage-items"]';
  await until(
    () => text(items),
    (t) => /CapperControl\s+what is missing \(\d\)/.test(t),
    'what is missing of the controller',
  );
  // the one that somebody has excused
  expect(await text(`${items} [data-gap="excused"]`)).toContain('The spindle never turns so fast');
  // all of it, with the cases that cover it and the words that show a condition
  await page.click('[aria-label="Which"] label:nth-child(2) input');
  await until(
    () => text(items),
    (t) => /pressTorque decides [^\n]*\s+unique cause, One cap/.test(t),
    'how a condition is shown',
  );
  // a part that no case tries: one is proposed, kept, and run
  await page.click('[aria-label="Which"] label:nth-child(1) input');
  await clickText('[data-testid="coverage-types"] button', 'BeltDrive');
  const halt = '[data-element$="/transition/x-3"]';
  await until(
    () => text(halt),
    (t) => /Moving → Standing on halt.*case missing: no case takes it/s.test(t),
    'a transition that no case takes',
  );
  await clickText(`${halt} button`, 'Propose');
  await until(
    () => text('[data-testid="proposal"]'),
    (t) => /send halt.*expect in\(drive\.Standing\)/s.test(t),
    'a case is proposed',
  );
  await clickText('[data-testid="proposal"] button', 'Keep it as a case');
  await page.waitForSelector('[data-testid="case"]');
  expect(await text(lines)).toContain('send halt');
  await click('[data-testid="run-case"]');
  await until(
    () => text('[data-testid="case-outcomes"]'),
    (t) => (t.match(/passed/g) ?? []).length >= 3,
    'it passes in three stages',
  );
  await area('Proof');
  await clickText('button', 'Coverage');
  await until(
    () => text('[data-testid="coverage-types"] [data-type="BeltDrive"]'),
    (t) => !t.includes('0 of 11'),
    'it counts',
  );
  // an excuse wants a reason and a name
  await clickText('[data-testid="coverage-types"] button', 'Gripper');
  const first = `${items} .coverage-item`;
  await clickText(`${first} button`, 'Excuse');
  await clickText(`${first} button`, 'Excuse it');
  await until(
    () => text(first),
    (t) => t.includes('Why need it not be?') && t.includes('Who says so?'),
    'what is missing',
  );
  await fill('Reason', 'tried by hand', false);
  await fill('Who says so', 'Ada', false);
  await clickText(`${first} button`, 'Excuse it');
  await until(
    () => text(first),
    (t) => /need not be: tried by hand \(Ada, \d{4}-/.test(t),
    'it is excused',
  );
  // on the sheets
  await page.click('.proof-check input');
  await goTo(page, '#/behaviour//t-operatorpanel//chart%2Fc-display');
  await until(
    () => text('[data-state="FaultShown"]'),
    (t) => t.includes('not reached'),
    'a state that no case reaches is marked',
  );
  expect(await text('.outline-row .share')).toMatch(/^\d+ %$/);
});

test('strength: changes of a part type are tried, what no case notices is told, excused, and out of date when a case changes', async () => {
  await area('Proof');
  await clickText('button', 'Strength');
  const types = '[data-testid="strength-types"]';
  const words = '[data-testid="strength-words"]';
  const items = '[data-testid="strength-items"]';
  await page.waitForSelector(types);
  expect(await text(words)).toContain('Nothing has been tried yet.');
  await clickText(`${types} button`, 'BeltDrive');
  // stopped before anything is tried, it can be begun again
  await click('[data-testid="try-changes"]');
  await click('[data-testid="stop-changes"]');
  await page.waitForSelector('[data-testid="try-changes"]');
  expect(await text(words)).toMatch(/Nothing has been tried yet\.|notice/);
  await click('[data-testid="try-changes"]');
  await until(
    () => text(words),
    (t) => /^The cases notice \d+ of \d+ changes\.$/.test(t),
    'they are tried',
  );
  const [, noticed, of] = /notice (\d+) of (\d+)/.exec(await text(words))!.map(Number);
  expect(noticed).toBeGreaterThan(0);
  expect(noticed).toBeLessThan(of);
  expect(await text(`${types} [data-type="BeltDrive"]`)).toContain(`${noticed} of ${of}`);
  expect(await text(`${types} [data-type="Gripper"]`)).toContain('not tried');
  expect(await text(items)).toContain(`what no case notices (${of - noticed})`);
  // the one that noticed a change is a step away
  await page.click('[aria-label="Which"] label:nth-child(2) input');
  await page.waitForSelector(`${items} [data-verdict="noticed"]`);
  expect(await text(`${items} [data-verdict="noticed"]`)).toContain('The belt halts on its way');
  await page.click('[aria-label="Which"] label:nth-child(1) input');
  const first = `${items} .coverage-item`;
  const key = await page.$eval(first, (e) => (e as HTMLElement).dataset.change);
  await clickText(`${first} button`, 'Excuse');
  await fill('Reason', 'the same in other words', false);
  await fill('Who says so', 'Ada', false);
  await clickText(`${first} button`, 'Excuse it');
  await until(
    () => text(items),
    (t) => t.includes(`what no case notices (${of - noticed - 1})`),
    'it is excused',
  );
  expect(await page.$$eval(first, (all) => all.map((e) => (e as HTMLElement).dataset.change))).not.toContain(key);
  // with another text of a case it is said that all this is of an earlier one
  expect(await text(words)).not.toContain('since');
  await openCase('k-the-belt-halts-on-its-way');
  await typeAtEnd('\nexpect in(drive.Standing)');
  await area('Proof');
  await clickText('button', 'Strength');
  await until(
    () => text(words),
    (t) => t.includes('The model or a case is another one since.'),
    'it is out of date',
  );
});

test('baselines: the project is frozen, what has changed since is told by element, taken back, and compared with another', async () => {
  await area('Proof');
  await clickText('button', 'Baselines');
  await page.waitForSelector('[aria-label="Freeze the project"]');
  const freezeAs = async (name: string): Promise<void> => {
    await fill('Name of the baseline', name, false);
    await clickText('button', 'Freeze');
  };
  // it wants a name
  await clickText('button', 'Freeze');
  await until(
    () => text('[aria-label="Freeze the project"]'),
    (t) => t.includes('A baseline needs a name'),
    'a name is missing',
  );
  await freezeAs('1.0');
  const words = '[data-testid="changes-words"]';
  await until(
    () => text(words),
    (t) => t === 'Nothing has changed: both say the same, element for element.',
    'it is as it is',
  );
  await freezeAs('1.0');
  await until(
    () => text('[aria-label="Freeze the project"]'),
    (t) => t.includes('There is a baseline of this name'),
    'a name is taken',
  );
  // a case says something else, and is found by what it said
  await openCase('k-the-belt-halts-on-its-way');
  await typeAtEnd('\nexpect in(drive.Standing)');
  await area('Proof');
  await clickText('button', 'Baselines');
  await until(
    () => text(words),
    (t) => /^1 change\..*1 test case of 20 would have to be run again\.$/s.test(t),
    'one thing has changed',
  );
  const row = '[data-address="case/k-the-belt-halts-on-its-way"]';
  expect(await text(row)).toMatch(/changed.*The belt halts on its way.*script/s);
  // of the script the line that has come, with the one before it
  expect((await page.$$eval(`${row} .version-line.other`, (all) => all.map((e) => e.textContent))).at(-1)).toBe(
    'expect in(drive.Standing)',
  );
  expect(await text(row)).toContain('…');
  // frozen as well, both stand beside each other
  await freezeAs('1.1');
  await until(
    () => page.$$eval('[data-baseline]', (all) => all.map((e) => (e as HTMLElement).dataset.baseline).join()),
    (t) => t === '1.1,1.0',
    'two of them',
  );
  await clickText('[data-baseline="1.0"] button', '1.0');
  await (await page.waitForSelector('[aria-label="Beside"]'))!.select(
    await page.$eval('[aria-label="Beside"] option:nth-child(2)', (e) => (e as HTMLOptionElement).value),
  );
  await page.waitForSelector(row);
  expect(await page.$('[aria-label^="Take back"]')).toBeNull();
  await (await page.waitForSelector('[aria-label="Beside"]'))!.select('');
  // taken back, and the way back of that
  await click('[aria-label^="Take back"]');
  await until(
    () => text(words),
    (t) => t.startsWith('Nothing has changed'),
    'it is taken back',
  );
  await click('[data-testid="undo"]');
  await page.waitForSelector(row);
  // what somebody else has made of the baseline: it is taken in, and what both have changed is decided
  const [of] = tubeCapper.cases.filter((c) => c.id === 'k-the-belt-halts-on-its-way');
  const theirs = {
    ...tubeCapper,
    note: 'As they have it.',
    cases: tubeCapper.cases.map((c) => (c === of ? { ...c, script: `${c.script}\nexpect speed < 1 'm/s'` } : c)),
  };
  const file = join(mkdtempSync(join(tmpdir(), 'zelvar-merge-')), 'theirs.json');
  writeFileSync(file, '{"a"');
  const bring = async (): Promise<void> =>
    ((await page.waitForSelector('[data-testid="merge-file"]')) as ElementHandle<HTMLInputElement>).uploadFile(file);
  await bring();
  await until(
    () => text('[data-testid="changes"]'),
    (t) => t.includes('theirs.json: '),
    'a file that cannot be read',
  );
  writeFileSync(file, JSON.stringify(theirs));
  await bring();
  await until(
    () => text('[data-testid="merge"]'),
    (t) => /changes 1 thing here; 1 was changed on both sides\./.test(t),
    'one thing is to be decided',
  );
  expect(await text('[data-testid="take-merged"]')).toBe('1 to decide');
  await page.click('[data-conflict] label:nth-of-type(2) input');
  await click('[data-testid="take-merged"]');
  await until(
    () => text(row),
    (t) => t.includes("expect speed < 1 'm/s'"),
    'it is as in the file',
  );
  expect(await text('[data-testid="changes"]')).toContain('As they have it.');
  await click('[data-testid="undo"]');
  await until(
    () => text('[data-testid="changes"]'),
    (t) => !t.includes('As they have it.'),
    'all of it is undone in one step',
  );
  // they are there when the page is opened again, until one is deleted
  await page.reload();
  await page.waitForSelector('[data-baseline="1.1"]', { timeout: 45_000 });
  await clickText('[data-baseline="1.0"] button', '1.0');
  await click('[aria-label="Delete 1.0"]');
  await clickText('button', 'Delete it for good');
  await until(
    () => page.$$eval('[data-baseline]', (all) => all.length),
    (n) => n === 1,
    'it is gone',
  );
});
