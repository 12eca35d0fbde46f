import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { strFromU8, unzipSync } from 'fflate';
import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper } from './session';

/** Software as an engineer looks at it: its code beside its elements, what changed, and how it does in other stages. */
const session = freshCapper();
let page: Page;
const files = mkdtempSync(join(tmpdir(), 'zelvar-code-'));
beforeEach(async () => {
  page = session.page;
  const client = await page.createCDPSession();
  await client.send('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: files,
    browserContextId: page.browserContext().id!,
  });
});
const { until, text, fill, click, clickText, area, valueOf, runStatus, startRun, press } = {
  ...person(() => page),
  press: (key: 'Control+z') =>
    page.keyboard
      .down('Control')
      .then(() => page.keyboard.press('z'))
      .then(() => page.keyboard.up('Control'))
      .then(() => key),
};
const chosen = (): Promise<string> => text('[data-testid="code-chosen"]');
const lit = (): Promise<readonly string[]> => page.$$eval('.cm-lit-line', (all) => all.map((e) => e.textContent ?? ''));

test('an element lights its lines, a line shows its element, and both lead back to the model', async () => {
  await area('Board');
  await page.waitForSelector('[data-testid="code-elements"]');
  expect(await valueOf('Time between steps of CapperControl')).toBe("0.001 's'");
  await fill('Search elements', 'mode.Ready', false);
  await clickText('[data-testid="code-elements"] button span:first-child', 'mode.Ready');
  await until(lit, (lines) => lines.some((l) => l.includes('static void mode_enter_Ready')), 'its lines are lit');
  expect((await lit()).some((l) => l.includes('mode_enter_Homing('))).toBe(false);
  expect(await chosen()).toContain('CAP-15');
  // the line of a transition; the list is searched no more
  await fill('Search elements', ' ', false);
  await page.keyboard.press('Backspace');
  const line = await page.waitForFunction(() =>
    [...document.querySelectorAll('.cm-line')].find((l) => l.textContent?.includes('state->mode_after_Homing == 0')),
  );
  await (line as unknown as { click: () => Promise<void> }).click();
  await until(chosen, (t) => t.includes('mode: Homing to Ready'), 'the line shows its transition');
  expect(await page.$eval('[data-testid="code-elements"] .here', (e) => (e as HTMLElement).innerText)).toContain(
    'Homing to Ready',
  );
  // the header knows its states and quantities
  await clickText('.code-bar button', '.h');
  await fill('Search elements', 'speedGain', false);
  await click('[data-testid="code-elements"] button');
  await until(lit, (lines) => lines.length === 1 && lines[0].includes('float speedGain;'), 'a quantity in the header');
  await clickText('.code-chosen button', 'Open');
  await until(
    () => page.evaluate(() => location.hash),
    (h) => h.startsWith('#/product/ctrl'),
    'its element is opened',
  );
});

test('what is handed out is remembered, and what changed since is marked', async () => {
  await area('Board');
  await click('[data-testid="download-code"]');
  const zip = join(files, 'CapperControl.zip');
  await until(async () => existsSync(zip), Boolean, 'the sources are handed out');
  const parts = await until(
    async () => unzipSync(readFileSync(zip)),
    (p) => Object.keys(p).length > 0,
    'they can be unpacked',
  );
  expect(Object.keys(parts).sort()).toEqual([
    'CapperControl.c',
    'CapperControl.h',
    'CapperControl.map.json',
    'CapperControl_test.c',
    'Makefile',
  ]);
  expect(strFromU8(parts['CapperControl.c'])).toContain('one step every 0.001 s');
  await click('[data-testid="download-unit"]');
  const fmu = join(files, 'CapperControl.fmu');
  await until(async () => existsSync(fmu), Boolean, 'the unit for co-simulation is handed out');
  const unit = await until(
    async () => unzipSync(readFileSync(fmu)),
    (p) => Object.keys(p).length > 0,
    'it can be unpacked',
  );
  expect(strFromU8(unit['modelDescription.xml'])).toContain('fixedInternalStepSize="0.001"');
  await until(
    () => text('[data-testid="code-changes"]'),
    (t) => t.startsWith('As handed out'),
    'nothing has changed',
  );
  await fill('Time between steps of CapperControl', "0.0005 's'");
  await until(
    () => text('[data-testid="code-changes"]'),
    (t) => /lines not as handed out/.test(t),
    'something has changed',
  );
  await click('[data-testid="code-changes"]');
  await until(
    () => page.$$eval('.changed-mark', (m) => m.map((e) => (e as HTMLElement).title)),
    (titles) => titles.some((t) => t.includes('one step every 0.001 s')),
    'the first change is marked with what it was',
  );
  // after a reload too
  await page.reload();
  await until(
    () => text('[data-testid="code-changes"]'),
    (t) => /lines not as handed out/.test(t),
    'it is remembered',
  );
  await fill('Time between steps of CapperControl', "0.001 's'");
  await until(
    () => text('[data-testid="code-changes"]'),
    (t) => t.startsWith('As handed out'),
    'it is as it was',
  );
});

test('edited C comes back as changes of the model; what is not understood is told, and the edit is kept', async () => {
  await area('Board');
  await click('[data-testid="edit-code"]');
  const back = (): Promise<string> => text('[data-testid="coming-back"]');
  await until(back, (t) => t.includes('Nothing to take over'), 'nothing has been changed yet');
  // who presses the button goes on in the text; what is handed out is not offered here
  expect(await page.evaluate(() => document.activeElement?.classList.contains('cm-content'))).toBe(true);
  expect(await page.$('[data-testid="download-code"]')).toBeNull();
  // typed here: a time, at the first line that has it
  const typed = async (was: string, is: string): Promise<void> => {
    const line = await page.waitForFunction(
      (w) => [...document.querySelectorAll('.cm-line')].find((l) => l.textContent?.includes(w)),
      {},
      was,
    );
    await (line as unknown as { click: () => Promise<void> }).click();
    await page.keyboard.press('End');
    for (let k = 0; k < was.length; k++) await page.keyboard.press('Backspace');
    await page.keyboard.type(is);
  };
  await page.$eval('.cm-scroller', (e) => void (e.scrollTop = 700));
  await typed(' 50;', ' 80;');
  await until(back, (t) => t.includes('1 change of the model') && t.includes('Off to Homing'), 'it is understood');
  expect(await text('.proposal-text')).toBe("0.050.08 's'");
  // it is there again after a reload
  await page.reload();
  await until(back, (t) => t.includes('Off to Homing'), 'the edit is kept');
  await clickText('.proposal button', 'Take over');
  await until(
    back,
    (t) => t.includes('What is written says the same as the model') || t.includes('Change a guard'),
    'it is in the model',
  );
  await press('Control+z');
  await until(back, (t) => t.includes('1 change of the model') || t.includes('Nothing'), 'taken back');
  await click('[data-testid="drop-edit"]');
  await page.waitForSelector('[data-testid="edit-code"]');
  // a file from elsewhere
  const [, source] = Object.entries(unzipSync(readFileSync(join(files, 'CapperControl.zip')))).find(
    ([n]) => n === 'CapperControl.c',
  )!;
  const edited = join(files, 'edited.c');
  writeFileSync(
    edited,
    strFromU8(source)
      .replace('fabsf(in->speed) < 0.25f', 'fabsf(in->speed) < 0.5f')
      .replace('out->ready += 1;', 'out->ready += 2;')
      .replace('/* End of own functions. */', 'void capper_tick(void)\n{\n}\n/* End of own functions. */'),
  );
  const input = (await page.$('input[aria-label="An edited source"]'))!;
  const read = (path: string): Promise<void> =>
    (input as never as { uploadFile(path: string): Promise<void> }).uploadFile(path);
  const other = join(files, 'other.c');
  writeFileSync(other, 'int main(void)\n{\n    return 0;\n}\n');
  await read(other);
  await until(
    () => text('.notice').catch(() => ''),
    (t) => t.includes('other.c is no source of CapperControl'),
    'what is none is refused',
  );
  await page.waitForSelector('[data-testid="edit-code"]');
  await read(edited);
  const said = await until(back, (t) => t.includes('2 changes of the model'), 'the file is read');
  expect(said).toContain('A message is sent once: out->ready += 1');
  await click('[data-testid="take-all"]');
  await until(back, (t) => t.includes('Nothing to take over'), 'both are in the model');
  expect(await back()).toContain('A message is sent once');
  await click('[data-testid="drop-edit"]');
  await page.waitForSelector('[data-testid="edit-code"]');
  await area('Behaviour');
  await press('Control+z');
});

test('what cannot be put into code is said with the way to it', async () => {
  await area('Board');
  await fill('Time between steps of CapperControl', "0.002 's'");
  await until(
    () => text('[data-testid="code-refused"]'),
    (t) => t.includes('no whole number of steps of 0.002 s'),
    'it is refused',
  );
  await clickText('.refusals button', 'Show');
  await until(
    () => page.evaluate(() => location.hash),
    (h) => h.startsWith('#/control/ctrl'),
    'its sheet is shown',
  );
  await page.goBack();
  await fill('Time between steps of CapperControl', "3 'kg'");
  await until(
    () => page.$eval('.step-time', (e) => e.innerHTML),
    (h) => h.includes('needs a time'),
    'it is no time',
  );
  await fill('Time between steps of CapperControl', '', false);
  await page.keyboard.press('Backspace');
  await page.keyboard.press('Enter');
  await until(
    () => text('main'),
    (t) => t.includes('No software yet'),
    'there is no software',
  );
  await clickText('main button', 'CapperControl is software, a step every 1 ms');
  await until(
    () => valueOf('Time between steps of CapperControl'),
    (v) => v === "1 'ms'",
    'it is software again',
  );
});

test('stages are compared, and a setup runs its software as code', async () => {
  await area('Board');
  await clickText('.board-head button', 'Stages');
  await click('[data-testid="compare-stages"]');
  await until(
    () => text('[data-testid="stages-words"]'),
    (t) => t.includes('differ') || t.includes('the same'),
    'they are compared',
  );
  const verdicts = await page.$$eval('[data-testid="stages-verdicts"] tr', (rows) =>
    rows.map((r) => (r as HTMLElement).innerText.split(/\s+/).filter(Boolean)),
  );
  expect(verdicts[0]).toEqual(['Requirement', 'designed', 'sampled', 'code']);
  expect(verdicts.find((v) => v[0] === 'CAP-02')).toEqual(['CAP-02', 'holds', 'holds', 'holds']);
  // loops are not looked at in steps
  expect(verdicts.find((v) => v[0] === 'CAP-16')!.slice(2)).toEqual(['undecided', 'undecided']);
  await area('Bench');
  const select = await page.waitForSelector('[aria-label="How ctrl runs"]');
  await select!.select('code');
  await startRun(() => clickText('.ribbon-bar button', 'Run'));
  await until(runStatus, (t) => t.includes('finished') && t.includes('ctrl: code'), 'it has run as code');
  await until(
    () => text('.ribbon-bar'),
    (t) => t.includes('11 hold') && t.includes('0 fail'),
    'its verdicts are there',
  );
  // and goes back to designed by undo
  await page.focus('body').catch(() => undefined);
  await press('Control+z');
  await until(
    () => valueOf('How ctrl runs'),
    (v) => v === 'designed',
    'the choice is undone',
  );
});

/** Runs with ctrl as chosen on the bench. */
const runOn = async (stage: string): Promise<void> => {
  await area('Bench');
  const select = await page.waitForSelector('[aria-label="How ctrl runs"]');
  await select!.select(stage);
  await startRun(() => clickText('.ribbon-bar button', 'Run'));
  await until(runStatus, (t) => t.includes('finished') && t.includes('ctrl: board'), `it has run on ${stage}`);
};
const verdictOf = (key: string): Promise<string> =>
  page.$$eval(
    '.verdict-lane, .ribbon *',
    (all, k) =>
      (all as HTMLElement[]).map((e) => e.innerText).find((t) => t?.startsWith(k) && /holds|fails|undecided/.test(t)) ??
      '',
    key,
  );

test('on a board the time of its steps is measured, and decides', async () => {
  await runOn('board:larch8');
  await until(
    () => verdictOf('CAP-13'),
    (t) => /^CAP-13\s+fails by 0\.101 ms/.test(t),
    'it is too slow on the small board',
  );
  await page.evaluate(() => void (location.hash = '#/board/ctrl///times'));
  await until(
    () => text('[data-testid="step-times"]'),
    (t) => t.includes('On Larch 8 the longest step of ctrl took 501'),
    'times are told',
  );
  const rows = await page.$$eval('[data-testid="step-functions"] tbody tr', (all) =>
    all.map((r) => (r as HTMLElement).innerText.split(/\s+/)),
  );
  expect(rows[0].slice(0, 2)).toEqual(['CapperControl_step', '1970']);
  // measuring four voltages takes longer than the step: together they are too long now and then
  expect(rows.find((r) => r[0] === 'board_pins_read')).toBeDefined();
  expect(await text('[data-testid="step-times"]')).toContain('31 steps were left out');
  await click('[data-testid="slowest-step"]');
  await until(
    () => text('[data-testid="clock"]'),
    (t) => /1\.3\d+ s/.test(t),
    'the cursor is at the longest step',
  );
  await runOn('board:larch32');
  await until(
    () => text('.ribbon-bar'),
    (t) => t.includes('12 hold') && t.includes('0 fail'),
    'it holds on the large one',
  );
  // back in time and on again: the chip is put where it was
  await clickText('.rail button', 'Board');
});

test('compiled on this machine a whole run goes its steps there, and several setups run in their stages', async () => {
  await area('Bench');
  const select = await page.waitForSelector('[aria-label="How ctrl runs"]');
  await select!.select('host');
  await clickText('.ribbon-bar button', 'Run');
  const told = await until(
    async () => `${await runStatus().catch(() => '')} ${await text('.notice').catch(() => '')}`,
    (t) => (t.includes('finished') && t.includes('ctrl: host')) || t.includes('not available'),
    'it has run, or says what to install',
  );
  if (told.includes('not available')) return;
  await until(
    () => text('.ribbon-bar'),
    (t) => t.includes('11 hold') && t.includes('0 fail'),
    'it is judged like the code',
  );
  await page.evaluate(() => void (location.hash = '#/board/ctrl///times'));
  const rows = await until(
    () =>
      page.$$eval('[data-testid="step-functions"] tbody tr', (all) =>
        all.map((r) => (r as HTMLElement).innerText.split(/\s+/)),
      ),
    (all) => all.length > 0,
    'its time is told',
  );
  expect(rows[0].slice(0, 2)).toEqual(['CapperControl_step', '2001']);
  await area('Bench');
  await click('[data-testid="show-batch"]');
  for (const box of await page.$$('[data-testid="batch"] input[type=checkbox]'))
    if (await box.evaluate((b) => !/^Run (Careful|Loose guard wire)$/.test(b.getAttribute('aria-label')!)))
      await box.click();
  await click('[data-testid="run-all"]');
  await until(
    () => text('[data-testid="batch"] [data-setup="Careful"]'),
    (t) => /11\s+0\s/.test(t),
    'it runs among several too',
  );
  await until(
    () => text('[data-testid="batch"] [data-setup="Loose guard wire"]'),
    (t) => / ms$/.test(t.trim()),
    'and so does one on a board',
  );
});

test('stages on boards stand beside the others, and what an image takes is shown', async () => {
  await area('Board');
  await clickText('.board-head button', 'Build');
  const board = (id: string): Promise<string> => text(`[data-board="${id}"]`);
  await until(
    () => board('larch8'),
    (t) => t.includes('comes with the application') && /[\d,]+ of 32,768 bytes/.test(t),
    'the image that is shipped is of this code',
  );
  await until(
    () => board('larch32'),
    (t) => /[\d,]+ of 270,336 bytes/.test(t),
    'of the other board as well',
  );
  await clickText('.board-head button', 'Stages');
  for (const box of await page.$$('.stages-question input[type=checkbox]')) await box.click();
  await click('[data-testid="compare-stages"]');
  await until(
    () => text('[data-testid="stages-words"]').catch(() => ''),
    (t) => t.includes('Larch 32'),
    'they are compared',
  );
  const verdicts = await page.$$eval('[data-testid="stages-verdicts"] tr', (rows) =>
    rows.map((r) => [...r.querySelectorAll('th, td')].map((c) => (c as HTMLElement).innerText.trim())),
  );
  expect(verdicts[0]).toEqual(['Requirement', 'designed', 'sampled', 'code', 'Larch 8', 'Larch 32']);
  const cap13 = verdicts.find((v) => v[0] === 'CAP-13')!;
  expect(cap13.slice(1, 4)).toEqual(['undecided', 'undecided', 'undecided']);
  expect([cap13[4].startsWith('fails'), cap13[5]]).toEqual([true, 'holds']);
  const heads = await page.$$eval('[data-testid="stages-differences"] th', (all) =>
    all.map((e) => (e as HTMLElement).innerText),
  );
  expect(heads).toEqual(expect.arrayContaining(['Larch 8 to code', 'Larch 32 to code']));
  const host = await text('[data-testid="stages-host"]');
  if (!host.includes('not available here')) {
    expect(host).toMatch(
      /it is equal in all \d+ quantities: a step of ctrl takes [\d.,]+ to [\d.,]+ ns, [\d.,]+ on average/,
    );
    expect(heads).toContain('compiled C to code');
  }
  // another code: the image is built, or the board says what is missing
  await fill('Time between steps of CapperControl', "0.0005 's'");
  await clickText('.board-head button', 'Build');
  await until(
    () => board('larch8'),
    (t) => /Built by avr-gcc in|is not available here: install/.test(t),
    'it is built anew',
  );
});

test('another code is built by the server, or the board says what is missing', async () => {
  await area('Board');
  await fill('Time between steps of CapperControl', "0.0005 's'");
  await area('Bench');
  await (await page.waitForSelector('[aria-label="How ctrl runs"]'))!.select('board:larch8');
  await clickText('.ribbon-bar button', 'Run');
  const told = await until(
    async () => `${await runStatus().catch(() => '')} ${await text('.notice').catch(() => '')}`,
    (t) => t.includes('finished') || t.includes('not available'),
    'it runs, or says why it does not',
  );
  if (told.includes('not available')) expect(told).toContain('install gcc-avr avr-libc');
  else expect(told).toContain('ctrl: board');
});

test('stages can be stopped', async () => {
  await area('Board');
  await clickText('.board-head button', 'Stages');
  await (await page.waitForSelector('[aria-label="Setup whose run is repeated"]'))!.select(
    await page.$$eval(
      '[aria-label="Setup whose run is repeated"] option',
      (all) => (all.find((o) => o.textContent === 'Batch') as HTMLOptionElement).value,
    ),
  );
  await click('[data-testid="compare-stages"]');
  await page.waitForSelector('[aria-label="Stages run"]');
  await clickText('.stages-question button', 'Stop');
  await page.waitForSelector('[data-testid="compare-stages"]');
  expect(await page.$('[data-testid="stages-found"]')).toBeNull();
});
