import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper, goTo } from './session';

/** Charts, procedures, sequences and panels as a person builds and watches them, in a real browser. */
const session = freshCapper();
let page: Page;
beforeEach(() => void (page = session.page));
const {
  pause,
  until,
  text,
  fill,
  click,
  clickText,
  area,
  choosePart,
  newChart,
  setup,
  runStatus,
  comparedRun,
  run,
  startRun,
  clock,
  dragCursor,
  valueOf,
} = person(() => page);
const go = (hash: string): Promise<void> => goTo(page, hash);
const pick = async (name: string): Promise<void> => {
  await click('[data-testid="behaviour-picker"]');
  await clickText('.dropdown-item', name);
};
/** Lines of the editor at hand, typed one after the other; blanks at the start become Tab. */
async function typeLines(source: string): Promise<void> {
  await (await page.waitForSelector('[data-testid="flow-lines"] textarea'))!.focus();
  let depth = 0;
  for (const [k, line] of source.split('\n').entries()) {
    const wanted = /^ */.exec(line)![0].length / 2;
    if (k > 0) {
      await page.keyboard.press('Enter');
      await pause(60);
      const now = await page.evaluate(
        () => (parseFloat(getComputedStyle(document.activeElement!.closest('.flow-line')!).paddingLeft) - 10) / 20,
      );
      depth = Math.round(now);
    }
    for (; depth < wanted; depth++) await page.keyboard.press('Tab');
    for (; depth > wanted; depth--) {
      await page.keyboard.down('Shift');
      await page.keyboard.press('Tab');
      await page.keyboard.up('Shift');
    }
    await page.keyboard.type(line.trim());
  }
}

test('a chart from nothing with lanes, built with buttons and keys, runs and shows where it is', async () => {
  await newChart();
  await fill('Name of the state', 'Both');
  await page.select('[aria-label="What it is"]', 'parallel');
  for (const lane of ['Left', 'Right']) {
    await clickText('button', 'Lane');
    await fill('Name of the state', lane);
    await clickText('button', 'State inside');
    await fill('Name of the state', `${lane}On`);
    await clickText('button', 'Next state');
    await fill('Name of the state', `${lane}Off`);
    await click('[data-transition="at once"]');
    await clickText('button', 'Trigger');
    await page.select('[aria-label="Trigger"]', 'after');
    await until(
      () => page.$$('[data-transition="after 1 s"]').then((a) => a.length),
      (n) => n === (lane === 'Left' ? 1 : 2),
      'the trigger stands on the arrow',
    );
    await page.click('[data-state="Both"] .state-name');
  }
  await run('Careful');
  const lit = (): Promise<string[]> =>
    page.$$eval('[data-lit="true"][data-state]', (all) => all.map((e) => (e as HTMLElement).dataset.state!));
  await dragCursor(0.5, 2);
  await until(lit, (s) => s.join() === 'Both,Left,LeftOn,Right,RightOn', 'both lanes have begun');
  await dragCursor(1.5, 2);
  await until(lit, (s) => s.join() === 'Both,Left,LeftOff,Right,RightOff', 'both lanes have gone on');
  await until(
    () => text('[data-state="LeftOn"]'),
    (s) => s.includes('1× 1 s'),
    'how often and how long',
  );
});

test('why a transition did not fire, a stop at a state, and another way from there', async () => {
  await area('Behaviour');
  await choosePart('ctrl');
  await run('Careful');
  await dragCursor(0.9, 2);
  await page.click('[data-transition^="when turns"]');
  await until(
    () => text('[data-testid="why-not"]'),
    (s) => /turns >= creepAfter/.test(s) && /turns = 0\.\d+/.test(s) && /creepAfter = 1/.test(s),
    'the values in the condition',
  );
  expect(await page.$$eval('[data-testid="why-not"] li.missing', (all) => all.length)).toBe(1);
  await page.click('[data-state="Creep"]');
  await clickText('button', 'Stop the run here');
  await clickText('.ribbon-bar button', 'Run');
  await until(runStatus, (s) => s.includes('paused where it was told to stop'), 'it stops');
  await until(
    () => text('[data-testid="active-state"]'),
    (s) => s.includes('Running.Turning.Creep'),
    'in Creep',
  );
  await click('[data-testid="branch"]');
  await fill('Quantity 1', 'ctrl.creepSpeed', false);
  await fill('Value 1', '16', false);
  await startRun(() => click('[data-testid="branch-run"]'));
  await until(runStatus, (s) => s.includes('finished'), 'it goes on from there');
  await until(comparedRun, (s) => s.startsWith('earlier run'), 'the run before is there to be compared');
  await until(
    () => text('[data-testid="summary"]'),
    (s) => s.startsWith('11 hold, 1 fail'),
    'the faster creep is too hard',
  );
});

test('a procedure typed line by line, started with its part, is lit step by step', async () => {
  await area('Behaviour');
  await choosePart('psu');
  await clickText('button', 'Add a procedure');
  await typeLines(
    'wait 0.4 s\ntogether\n  lane one\n    wait 0.5 s\n  lane two\n    repeat 3 times\n      rounds := rounds + 1\n      wait 0.1 s\nif rounds > 2\n  wait 0.2 s\nelse\n  wait 9 s',
  );
  await until(
    () => page.$$('.flow-box.step, .flow-box.wait').then((a) => a.length),
    (n) => n >= 5,
    'the drawing follows',
  );
  await until(
    () => page.$$('[data-testid="flow-lines"] .field-problem').then((a) => a.length),
    (n) => n >= 1,
    'rounds is not known yet',
  );
  await page.click('input.form-check-input');
  await clickText('aside button', 'Quantity');
  await fill('Name of value1', 'rounds');
  await until(
    () => page.$$('[data-testid="flow-lines"] .field-problem').then((a) => a.length),
    (n) => n === 0,
    'now it is',
  );
  await run('Careful');
  const active = (): Promise<string> =>
    page.$$eval('.flow-line.active textarea', (all) => all.map((e) => (e as HTMLTextAreaElement).value).join(' | '));
  await dragCursor(0.2, 2);
  await until(active, (s) => s === 'wait 0.4 s', 'it waits');
  await dragCursor(0.75, 2);
  await until(active, (s) => s.includes('wait 0.5 s') && !s.includes('9 s'), 'it goes on together');
  await dragCursor(1.05, 2);
  await until(active, (s) => s === 'wait 0.2 s', 'the choice is made');
  await dragCursor(1.6, 2);
  await until(
    () => text('[data-testid="procedure-state"]'),
    (s) => s.includes('finished'),
    'it is over',
  );
});

test('a sequence picked and typed is run as a test; the recorded one is compared with it', async () => {
  await area('Behaviour');
  await choosePart('Capper');
  await pick('New sequence');
  await page.select('[aria-label="Receiver"]', 'panel');
  await page.select('[aria-label="Message of the row"]', 'start');
  await click('[data-testid="add-message"]');
  await page.select('[aria-label="Sender"]', 'ctrl');
  await page.select('[aria-label="Receiver"]', 'belt');
  await page.select('[aria-label="Message of the row"]', 'advance');
  await click('[data-testid="add-message"]');
  await until(
    () =>
      page.$$eval('[data-testid="flow-lines"] textarea', (all) =>
        all.map((e) => (e as HTMLTextAreaElement).value).join('|'),
      ),
    (s) => s === 'outside -> panel: start|ctrl -> belt: advance',
    'two rows',
  );
  // what the receiver cannot take yet is a key away
  await page.select('[aria-label="Receiver"]', 'gripper');
  const offers = await page.$eval('[aria-label="Message of the row"]', (e) => (e as HTMLSelectElement).innerText);
  expect(offers).toContain('close');
  await page.focus('[data-testid="flow-lines"] textarea[aria-label="Line 2"]');
  await page.keyboard.press('End');
  await page.keyboard.press('Enter');
  await page.keyboard.type('belt -> ctrl: tubeSeen; within 100 ms');
  await click('[data-testid="run-sequence"]');
  await until(
    () => text('[data-testid="sequence-verdict"]'),
    (s) => s.startsWith('failed'),
    'the tube is late',
  );
  await until(
    () => page.$eval('.said.bad', (e) => (e as HTMLElement).innerText),
    (s) => s === 'too late',
    'and that row says so',
  );
  await page.focus('[data-testid="flow-lines"] textarea[aria-label="Line 3"]');
  await page.keyboard.press('End');
  for (let k = 0; k < 6; k++) await page.keyboard.press('Backspace');
  await page.keyboard.type('2 s');
  await click('[data-testid="run-sequence"]');
  await until(
    () => text('[data-testid="sequence-verdict"]'),
    (s) => s.startsWith('passed'),
    'now it passes',
  );
});

test('what was said: filtered, followed by the cursor, compared with an earlier run', async () => {
  await run('Careful');
  await run('Guard');
  await go('#/behaviour////recorded');
  const rows = (): Promise<number> => page.$$eval('.sequence-row', (all) => all.length);
  await until(rows, (n) => n > 8, 'rows');
  await dragCursor(0.86, 2);
  await until(
    () => page.$eval('.sequence-row.now', (e) => (e as HTMLElement).innerText),
    (s) => /halt/.test(s),
    'the cursor is at the message',
  );
  await page.select('[aria-label="Compare with"]', 'earlier');
  await until(
    () => text('[data-testid="comparison"]'),
    (s) => /missing/.test(s) && /first difference/.test(s),
    'the first difference',
  );
  await page.select('[aria-label="Compare with"]', '');
  await fill('Search messages', 'tube', false);
  await until(rows, (n) => n === 1, 'one message holds these letters');
  await click('[data-testid="write-down"]');
  await until(
    () => valueOf('Line 1'),
    (v) => v === 'belt -> ctrl: tubeSeen',
    'written down',
  );
});

test('the seeded fault of the counter is found by the written sequence', async () => {
  await run('Late counter');
  await go('#/behaviour////sequence%2Fq-a-batch-of-24');
  await until(
    () => text('[data-testid="sequence-verdict"]'),
    (s) => s.startsWith('failed'),
    'it fails',
  );
  expect(await page.$$eval('.said', (all) => all.map((e) => (e as HTMLElement).innerText))).toContain('other values');
  await run('Batch');
  await until(
    () => text('[data-testid="sequence-verdict"]'),
    (s) => s.startsWith('passed'),
    'without the fault it passes',
  );
});

test('a panel built by dragging from the outline; controls are arranged, and act on the run', async () => {
  await area('Bench');
  await clickText('section button', 'Panel');
  await page.waitForSelector('[data-testid="panel-editor"]');
  const drag = async (part: string, name: string, dx: number, dy: number): Promise<void> => {
    await fill('Search the outline', name, false);
    await pause(300);
    const handle = (await (await page.waitForSelector(`.grab[data-name="${part}.${name}"]`))!.boundingBox())!;
    const board = (await (await page.$('[data-testid="panel-editor"]'))!.boundingBox())!;
    await page.mouse.move(handle.x + 10, handle.y + 6);
    await page.mouse.down();
    await page.mouse.move(handle.x + 60, handle.y + 20, { steps: 4 });
    await page.mouse.move(board.x + dx, board.y + dy, { steps: 8 });
    await pause(150);
    await page.mouse.up();
  };
  await drag('panel', 'start', 60, 60);
  await drag('guard', 'open', 260, 90);
  await drag('ctrl', 'count', 300, 230);
  const controls = (): Promise<string[]> =>
    page.$$eval('[data-testid="panel-editor"] [data-control]', (all) =>
      all.map((e) => `${(e as HTMLElement).dataset.kind} ${(e as HTMLElement).dataset.control}`),
    );
  await until(controls, (c) => c.join() === 'button Start,switch Open,readout Count', 'the controls that suit');
  // all three by Shift, then their left edges
  const nodes = await page.$$('[data-testid="panel-editor"] .react-flow__node');
  await nodes[0].click();
  await page.keyboard.down('Shift');
  for (const n of nodes.slice(1)) await n.click();
  await page.keyboard.up('Shift');
  await click('button[aria-label="Align the left edges"]');
  const lefts = (): Promise<number[]> =>
    page.$$eval('[data-testid="panel-editor"] .react-flow__node', (all) =>
      all.map((e) => Math.round(e.getBoundingClientRect().left)),
    );
  await until(lefts, (x) => new Set(x).size === 1, 'one edge');
  await page.keyboard.press('ArrowRight');
  await until(lefts, (x) => new Set(x).size === 1, 'moved by the keyboard together');
  await click('button[aria-label="Back to the bench"]');
  await page.select(
    '[aria-label="Panel of this setup"]',
    await page.$eval('[aria-label="Panel of this setup"]', (e) => (e as HTMLSelectElement).options[1].value),
  );
  await page.select('select[aria-label="Pace"]', '1');
  await setup('Careful');
  await clickText('.ribbon-bar button', 'Run');
  await until(clock, (t) => t > 0.1, 'it runs');
  await page.focus('[data-control="Open"] input');
  await page.keyboard.press('Space');
  await until(
    () => page.$eval('[data-control="Open"] input', (e) => (e as HTMLInputElement).checked),
    (c) => c,
    'the switch is on',
  );
  await page.select('select[aria-label="Pace"]', '0');
  await until(runStatus, (s) => s.includes('finished'), 'the run ends');
});

test('the inside: a type dropped becomes a part, links are drawn, wrong ones are refused with a reason', async () => {
  await area('Product');
  await click('[data-testid="show-inside"]');
  await page.waitForSelector('[data-part="ctrl"]');
  const parts = (): Promise<number> => page.$$eval('[data-part]', (all) => all.length);
  expect(await parts()).toBe(8);
  const tray = (await page.$$('.tray-type'))[0];
  await tray.focus();
  await page.keyboard.press('Enter');
  await until(parts, (n) => n === 9, 'a part more');
  await click('[data-testid="undo"]');
  await until(parts, (n) => n === 8, 'undone');
  await pause(400);
  const at = async (end: string) =>
    (await (await page.$(`.react-flow__handle[data-handleid="${end}"]`))!.boundingBox())!;
  const draw = async (from: string, to: string): Promise<void> => {
    const [a, b] = [await at(from), await at(to)];
    await page.mouse.move(a.x + a.width / 2, a.y + a.height / 2);
    await page.mouse.down();
    await page.mouse.move(b.x + b.width / 2, b.y + b.height / 2, { steps: 8 });
    await page.mouse.up();
  };
  await draw('psu.voltage', 'spindle.load');
  await until(
    () => text('[role="alert"], .notice'),
    (s) => /cap\.torque writes spindle\.load already/.test(s),
    'two writers',
  );
  await draw('guard.events', 'belt.orders');
  await until(
    () => text('[role="alert"], .notice'),
    (s) => /no message in common/.test(s),
    'nothing in common',
  );
});

test('what is done on a panel is kept as a setup and as a sequence; several setups run in a row', async () => {
  await area('Bench');
  await setup('Careful');
  await page.select('select[aria-label="Pace"]', '0.1');
  await clickText('.ribbon-bar button', 'Run');
  await until(clock, (t) => t > 0.1, 'it runs');
  await page.click('[data-control="Guard open"] input');
  await page.select('select[aria-label="Pace"]', '0');
  await until(runStatus, (s) => s.includes('finished'), 'finished');
  await until(
    () => text('[data-testid="actions"]'),
    (s) => /1 thing done by hand: guard\.open = 1 at 0\.\d+ s/.test(s),
    'what was done',
  );
  const before = await text('[data-testid="summary"]');
  await clickText('button', 'Keep as a setup');
  await until(
    () => valueOf('Name of the setup'),
    (v) => v === 'Careful, by hand',
    'a setup',
  );
  await run('Careful, by hand');
  await until(
    () => text('[data-testid="summary"]'),
    (s) => s === before,
    'the same summary',
  );
  await click('[data-testid="show-batch"]');
  await click('[data-testid="run-all"]');
  await until(
    () => text('[data-setup="Late counter"]'),
    (s) => s.includes('A batch of 24: failed'),
    'the fault among the results',
  );
  await until(
    () => text('[data-setup="Batch"]'),
    (s) => s.includes('A batch of 24: passed'),
    'the batch',
  );
});

test('a chart is read from an SCXML file, runs in its part, and is saved again', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-charts-'));
  const path = join(folder, 'blinker.scxml');
  writeFileSync(
    path,
    '<scxml xmlns="http://www.w3.org/2005/07/scxml" version="1.0" datamodel="ecmascript" initial="dark"><datamodel><data id="n" expr="0"/></datamodel><state id="dark"><onentry><send event="turn" delay="300ms"/></onentry><transition event="turn" target="lit" cond="n &lt; 2"/></state><state id="lit"><onentry><assign location="n" expr="n + 1"/><send event="turn" delay="300ms"/></onentry><transition event="turn" target="dark"/></state></scxml>',
  );
  const session = await page.createCDPSession();
  await session.send('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: folder,
    browserContextId: page.browserContext().id!,
  });
  await area('Behaviour');
  await choosePart('ctrl');
  const [chooser] = await Promise.all([page.waitForFileChooser(), pick('State chart from an SCXML file …')]);
  await chooser.accept([path]);
  await page.waitForSelector('[data-state="dark"]');
  await run('Careful');
  const lit = (): Promise<string[]> =>
    page.$$eval('[data-lit="true"][data-state]', (all) => all.map((e) => (e as HTMLElement).dataset.state!));
  await dragCursor(0.45, 2);
  await until(lit, (s) => s.join() === 'lit', 'lit between 0.3 and 0.6 s');
  await dragCursor(1.9, 2);
  await until(lit, (s) => s.join() === 'dark', 'dark for good after two rounds');
  await clickText('aside button', 'Save as SCXML');
  const saved = await until(
    async () => readdirSync(folder).find((f) => f.endsWith('.scxml') && f !== 'blinker.scxml') ?? '',
    (f) => f !== '',
    'saved',
  );
  await pause(200);
  expect(readFileSync(join(folder, saved), 'utf8')).toContain('<data id="n" expr="0"');
});
