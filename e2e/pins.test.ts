import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper } from './session';

/** Channels of software, the board with its pins, and wires that are not sound. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { until, text, fill, click, clickText, area, valueOf, runStatus, setup, startRun } = person(() => page);
const choose = async (label: string, value: string): Promise<void> => {
  await (await page.waitForSelector(`[aria-label="${label}"]`))!.select(value);
};
const pinsSheet = async (): Promise<void> => {
  await area('Board');
  await clickText('.board-head button', 'Pins');
  await page.waitForSelector('[data-testid="board-picture"]');
};
const onPin = (pin: string): Promise<string> => text(`[data-pin="${pin}"] .on`);
const undo = (): Promise<void> => click('[data-testid="undo"]');

test('channels and pins: chosen on either side, moved, and told where they cannot be', async () => {
  await pinsSheet();
  expect(await onPin('P4')).toBe('guardSwitch');
  await click('[data-pin="P4"]');
  await until(
    () => text('[data-testid="channel-details"]'),
    (t) => t.startsWith('guardSwitch'),
    'its numbers are shown',
  );
  expect(await text('[data-testid="channels"] tr.here')).toContain('guardOpened');
  // one further down comes into sight
  await click('[data-pin="P20"]');
  await until(
    () =>
      page.evaluate(() => {
        const row = document.querySelector('[data-testid="channels"] tr.here')!.getBoundingClientRect();
        const pane = document.querySelector('.pins-scroll')!.getBoundingClientRect();
        return row.top >= pane.top && row.bottom <= pane.bottom + 1;
      }),
    Boolean,
    'the row of what was chosen on the picture is in sight',
  );
  await click('[data-pin="P4"]');
  await fill('Steps until guardSwitch counts', '0');
  await until(
    () => text('[data-testid="channel-details"]'),
    (t) => t.includes('At least 1 step'),
    'what cannot be is refused at its place',
  );
  await fill('Steps until guardSwitch counts', '5');
  await until(
    () => text('[data-testid="channels"] tr.here'),
    (t) => t.includes('settled for 5 steps'),
    'its row follows',
  );
  await undo();
  // the pin by the list: nobody else's is offered
  const offered = await page.$$eval('[aria-label="Pin of guardSwitch on Larch 8"] option', (all) =>
    all.map((o) => o.textContent),
  );
  expect(offered).toEqual(['none', 'P4']);
  await choose('Pin of guardSwitch on Larch 8', '');
  await until(
    () => text('[data-testid="channel-details"]'),
    (t) => t.includes('guardSwitch has no pin on Larch 8'),
    'a channel without a pin is told',
  );
  // a free pin takes what is chosen
  expect(await onPin('P4')).toBe('');
  await click('[data-pin="P4"]');
  await until(
    () => onPin('P4'),
    (t) => t === 'guardSwitch',
    'it is on the pin again',
  );
  await clickText('.code-bar button', 'Larch 32');
  await click('[data-pin="P20"]');
  await until(
    () => onPin('P20'),
    (t) => t === 'guardSwitch',
    'on the other board it is elsewhere',
  );
  await undo();
  // a moment before its step, in the unit one thinks in; one that is too early keeps it from running
  await click('[data-pin="P27"]');
  const early = 'How long before its step speedSensor is measured';
  await fill(early, '25');
  await until(
    () => text('[data-testid="channels"] tr.here'),
    (t) => t.includes('10 bits, 25 µs before its step'),
    'its row says when',
  );
  await fill(early, '2000');
  await area('Bench');
  await setup('Careful');
  await choose('How ctrl runs', 'code');
  await clickText('.ribbon-bar button', 'Run');
  await until(
    async () => text('main'),
    (t) => t.includes('speedSensor is measured 2000 µs before its step, and a step is every 1000 µs'),
    'what is too early is told',
  );
  for (let k = 0; k < 3; k++) await undo();
  await pinsSheet();
  await clickText('.code-bar button', 'Larch 32');
  // more bits than the small board measures with
  await click('[data-pin="P27"]');
  await fill('Bits of speedSensor', '12');
  await until(
    () => text('[data-testid="channel-details"]'),
    (t) => t.includes('speedSensor asks for 12 bits: Larch 8 measures with 10'),
    'what a board cannot is told',
  );
  // and keeps it from running there
  await area('Bench');
  await choose('How ctrl runs', 'board:larch8');
  await clickText('.ribbon-bar button', 'Run');
  await until(
    async () => text('main'),
    (t) => t.includes('asks for 12 bits'),
    'the setup says why it does not run',
  );
});

test('a wire that is loose: what it does, and where to see it', async () => {
  await area('Bench');
  await setup('Loose guard wire');
  await startRun(() => clickText('.ribbon-bar button', 'Run'));
  await until(runStatus, (t) => t.includes('finished') && t.includes('ctrl: board'), 'it has run on the board');
  await until(
    () => text('.ribbon'),
    (t) => /CAP-05\s+fails by 203 ms/.test(t),
    'the guard is not heard',
  );
  await pinsSheet();
  const lost = (): Promise<string> =>
    page.$$eval('[data-testid="channels"] .field-problem', (all) =>
      all.map((e) => (e as HTMLElement).innerText).join('|'),
    );
  await until(lost, (t) => t === '1 message lost in this run', 'where it was lost');
  // mended, it holds
  await area('Bench');
  await click('[aria-label="Mend wire 1"]');
  await startRun(() => clickText('.ribbon-bar button', 'Run'));
  await until(
    () => text('.ribbon'),
    (t) => /CAP-05\s+holds/.test(t),
    'the guard stops the spindle again',
  );
  // another fault, put in by hand
  await clickText('.section-title button', 'Wire');
  await choose('Wire 1', 'ctrl.motorDriver');
  await choose('What is wrong with wire 1', 'swapped');
  await until(
    () => valueOf('What wire 1 is swapped with'),
    (v) => v !== '' && v !== 'motorDriver',
    'only what leads the same way is offered',
  );
  const options = await page.$$eval('[aria-label="What wire 1 is swapped with"] option', (all) =>
    all.map((o) => o.textContent),
  );
  expect(options).toContain('panelLamp');
  expect(options).not.toContain('guardSwitch');
  // a jumper from a pin to another one
  await choose('Wire 1', 'ctrl.torqueSensor');
  await choose('What is wrong with wire 1', 'joined');
  await choose('What wire 1 is joined to', 'motorDriver');
  await until(
    () => valueOf('What wire 1 is joined to'),
    (v) => v === 'motorDriver',
    'what leads out is offered for a jumper',
  );
  await choose('How ctrl runs', 'designed');
  await until(
    () => text('[data-testid="wires"]'),
    (t) => t.includes('ctrl runs as designed here, without wires'),
    'wires do nothing where nothing goes over them',
  );
});

test('an encoder and a pair: two pins, numbers in the units one thinks in, and told what is missing', async () => {
  await pinsSheet();
  // a pair needs the other output of its timer, which something else has
  await click('[data-pin="P10"]');
  await choose('Outputs of motorDriver', 'pair');
  const details = (): Promise<string> => text('[data-testid="channel-details"]');
  await until(details, (t) => t.includes('motorDriver is a pair, and has one pin on Larch 8: P11 could be it'), 'told');
  await fill('Blanking of motorDriver', '2.5');
  await fill('Time constant behind motorDriver', '4');
  await until(
    () => text('[data-testid="channels"] tr.here'),
    (t) => t.includes('a pair, 2.5 µs between, smoothed over 4 ms'),
    'its row says so',
  );
  const offered = (label: string): Promise<readonly (string | null)[]> =>
    page.$$eval(`[aria-label="${label}"] option`, (all) => all.map((o) => o.textContent));
  expect(await offered('Other pin of motorDriver on Larch 8')).toEqual(['none']);
  await click('[data-pin="P11"]');
  await choose('Pin of beltAdvance on Larch 8', '');
  await click('[data-pin="P10"]');
  await click('[data-pin="P11"]');
  await until(
    () => onPin('P11'),
    (t) => t === 'motorDriver ′',
    'the free pin takes its other line',
  );
  await until(details, (t) => !t.includes('on Larch 8'), 'nothing is missing here');
  await undo();
  await choose('Other pin of motorDriver on Larch 8', 'P11');
  await until(
    () => onPin('P11'),
    (t) => t === 'motorDriver ′',
    'or it is chosen',
  );
  await choose('Outputs of motorDriver', 'one');
  await until(
    () => onPin('P11'),
    (t) => t === '',
    'one output has one pin',
  );
  // an encoder
  await click('[data-pin="P16"]');
  await choose('What angleSensor goes through', 'encoder');
  await fill('Counts of angleSensor', '0');
  await until(details, (t) => t.includes('At least one count'), 'what cannot be is refused');
  await fill('Counts of angleSensor', '2000');
  await choose('Other pin of angleSensor on Larch 8', 'P11');
  await until(
    () => text('[data-testid="channels"] tr.here'),
    (t) => t.includes('an encoder, 2000 counts from 0 to 16 rad'),
    'its row says so',
  );
  await clickText('.code-bar button', 'Larch 32');
  await until(details, (t) => t.includes('angleSensor is an encoder, and has one pin on Larch 32'), 'on the other one');
});

test('channels are proposed where there are none', async () => {
  await pinsSheet();
  for (let k = 0; k < 20; k++) await click('[data-testid="channels"] tbody tr:first-child td:last-child button');
  await until(
    () => text('main'),
    (t) => t.includes('No channels yet'),
    'there are none',
  );
  await click('[data-testid="propose-channels"]');
  await until(
    () => page.$$eval('[data-testid="channels"] tbody tr', (all) => all.length),
    (n) => n === 22,
    'each signal has one',
  );
  expect(await onPin('P15')).toBe('speedLine');
  await until(
    () => text('[data-testid="open-signals"]'),
    (t) => t.includes('batchDone'),
    'what cannot go over a line is told',
  );
  await undo();
  await page.waitForSelector('[data-testid="propose-channels"]');
});

test('a board of its own: made like another one, its pins renamed, its numbers checked, and gone again', async () => {
  await pinsSheet();
  await clickText('.code-bar button', 'Board');
  await page.waitForSelector('[data-testid="own-board"]');
  expect(await valueOf('Clock of the board in MHz')).toBe('16');
  // pins of the other board are not its own
  expect(await onPin('P4').catch(() => '')).toBe('');
  await click('[data-testid="channels"] tbody tr:first-child');
  const [channel] = await page.$$eval('[data-testid="channels"] tr.here input', (all) =>
    all.map((e) => (e as HTMLInputElement).value),
  );
  await choose(`Pin of ${channel} on Own board`, 'P16');
  await until(
    () => onPin('P16'),
    (t) => t === channel,
    'it is put on a pin of it',
  );
  await page.evaluate(() => void (location.hash = '#/board/ctrl///pins'));
  await page.waitForSelector('[data-testid="own-board"]');
  await fill('Name of pin 16', 'A1');
  await until(
    () => onPin('A1'),
    (t) => t === channel,
    'the channel stays where it is',
  );
  await fill('Clock of the board in MHz', '50');
  await until(
    () => text('[data-testid="own-board"]'),
    (t) => t.includes('A chip of 8 bits runs at 1 to 20 MHz'),
    'what its chip cannot do is told',
  );
  await fill('Clock of the board in MHz', '8');
  // it can be built for, and software can run on it
  await clickText('.board-head button', 'Build');
  await page.waitForSelector('[aria-label="Own board"]');
  await area('Bench');
  await page.waitForSelector('[aria-label="How ctrl runs"] option[value^="board:b-"]');
  await pinsSheet();
  await clickText('.code-bar [role=radio]', 'Own board');
  await clickText('[data-testid="own-board"] button', 'Delete this board');
  await page.waitForFunction(() => !document.querySelector('[data-testid="own-board"]'));
  expect(await page.$$eval('.code-bar [role=radio]', (all) => all.map((e) => e.textContent))).toEqual([
    'Larch 8',
    'Larch 32',
  ]);
});
