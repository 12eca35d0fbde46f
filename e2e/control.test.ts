import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle, Page } from 'puppeteer-core';
import { person } from './person';
import { freshSample, goTo } from './session';

/** A signal sheet as an engineer makes it: from nothing, by keyboard and by mouse; run, boxed, broken, mended. */
const session = freshSample('heated-block');
let page: Page;
beforeEach(() => void (page = session.page));
const { until, text, clickText, startRun, runStatus } = person(() => page);
const run = async (): Promise<void> => {
  await startRun(() => page.keyboard.press('Space'));
  await until(runStatus, (s) => s.includes('finished'), 'the run is finished');
};
const wait = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));

/** The lines of the sheet, by their cards. */
const lines = (): Promise<string[]> =>
  page.$$eval('[data-card] .signal-formula', (all) => all.map((e) => e.getAttribute('title') ?? ''));
const linesAre = (wanted: readonly string[], why: string): Promise<unknown> =>
  until(
    async () => (await lines()).sort().join('\n'),
    (s) => s === [...wanted].sort().join('\n'),
    why,
  );
const card = (name: string): string => `[data-line="${name}"]`;
/** Until nothing on the drawing moves any more: it is brought into sight anew whenever there is more or less room. */
const settled = async (): Promise<void> => {
  const places = (): Promise<string> =>
    page.$$eval('.react-flow__node, [data-wire]', (all) =>
      all
        .map((e) => e.getBoundingClientRect())
        .map((b) => `${b.x} ${b.y} ${b.width} ${b.height}`)
        .join(),
    );
  let before = await places();
  for (let still = 0; still < 3;) {
    await wait(60);
    const now = await places();
    still = now === before ? still + 1 : 0;
    before = now;
  }
};
const centre = async (selector: string): Promise<{ x: number; y: number }> => {
  await page.waitForSelector(selector);
  await settled();
  return page.$eval(selector, (e) => {
    const b = e.getBoundingClientRect();
    return { x: b.left + b.width / 2, y: b.top + b.height / 2 };
  });
};
const drag = async (from: { x: number; y: number }, to: { x: number; y: number }): Promise<void> => {
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move((from.x + to.x) / 2, (from.y + to.y) / 2, { steps: 6 });
  await page.mouse.move(to.x, to.y, { steps: 6 });
  await page.mouse.up();
};
const output = (name: string): string => `${card(name)} .react-flow__handle[data-handleid="out"]`;
const input = (name: string, key: string): string => `${card(name)} .react-flow__handle[data-handleid="${key}"]`;
const choose = async (name: string): Promise<void> => {
  // the drawing may be brought into sight anew meanwhile
  for (let tries = 0; (await page.$(`${card(name)}.selected`)) === null; tries++) {
    if (tries > 20) throw new Error(`${name} cannot be chosen`);
    await page.click(`${card(name)} .signal-formula`).catch(() => undefined);
    await wait(250);
  }
};
/** Searches and takes the first hit. */
const search = async (words: string): Promise<void> => {
  await page.waitForSelector('[data-testid="block-search"] input');
  await page.keyboard.type(words);
  await page.keyboard.press('Enter');
  await page.waitForSelector('[data-testid="block-search"]', { hidden: true });
};
const pane = async (x: number, y: number): Promise<{ x: number; y: number }> =>
  page.$eval(
    '[data-testid="signal-board"]',
    (e, dx, dy) => {
      const b = e.getBoundingClientRect();
      return { x: b.left + b.width * dx, y: b.top + b.height * dy };
    },
    x,
    y,
  );
const addAt = async (words: string, x: number, y: number): Promise<void> => {
  const at = await pane(x, y);
  await page.mouse.click(at.x, at.y);
  await page.keyboard.press('a');
  await search(words);
};
const middleOfWire = async (name: string): Promise<{ x: number; y: number }> => {
  await page.waitForSelector(`[data-wire="${name}"]`);
  await settled();
  return page.$eval(`[data-wire="${name}"]`, (e) => {
    const path = e as unknown as SVGPathElement;
    const p = path.getPointAtLength(path.getTotalLength() / 2);
    const m = path.getScreenCTM()!;
    return { x: p.x * m.a + m.e, y: p.y * m.d + m.f };
  });
};
const began = async (): Promise<void> => {
  await goTo(page, '#/control/plant//');
  await page.waitForSelector('[data-testid="add-sheet"]');
  await page.click('[data-testid="add-sheet"]');
  await page.waitForSelector('[data-testid="signal-board"]');
  await page.keyboard.press('f');
  await wait(200);
};

test('by keyboard alone: typed onto the empty sheet, wired by name, run, watched', async () => {
  await goTo(page, '#/control/plant//');
  await page.waitForSelector('[data-testid="add-sheet"]');
  await page.focus('[data-testid="add-sheet"]');
  await page.keyboard.press('Enter');
  await page.waitForSelector('[data-testid="signal-board"]');
  // on an empty sheet one simply types
  await page.keyboard.type('ra');
  await search('mp');
  await linesAre(["ramp1 = ramp(at = 0 's', lasts = 1 's', to = 1)"], 'the ramp is there');
  await page.keyboard.press('a');
  await search('∫');
  await until(
    () => text('.signal-problem'),
    (s) => s.includes('Nothing feeds u of integrate'),
    'what is missing is told at the card',
  );
  // the ramp, and where it goes
  await choose('ramp1');
  await page.keyboard.press('w');
  await page.waitForSelector('[data-testid="target-field"] input');
  await page.keyboard.type('integ');
  await page.keyboard.press('Enter');
  await linesAre(["ramp1 = ramp(at = 0 's', lasts = 1 's', to = 1)", 'integrate1 = integrate(ramp1)'], 'it is wired');
  await until(
    async () => (await page.$$('.signal-problem')).length,
    (n) => n === 0,
    'nothing is missing',
  );
  await page.keyboard.press('Space');
  await until(
    () => text(`${card('integrate1')} .now`),
    (s) => /^8\d\d/.test(s),
    'its value at the end of the run: 899.5',
  );
  expect(await page.$(`${card('integrate1')} .spark path`)).not.toBeNull();
  await page.keyboard.press('t');
  await until(
    () => page.$$eval('.ribbon [data-track-item]', (all) => all.map((e) => e.getAttribute('data-track-item')).join()),
    (s) => s.includes('plant.integrate1'),
    'it has a track',
  );
  await page.waitForSelector(`${card('integrate1')} .watched`);
  await choose('ramp1');
  await page.keyboard.down('Shift');
  await page.keyboard.press('T');
  await page.keyboard.up('Shift');
  await until(
    () => page.$$eval('.ribbon [data-track-item]', (all) => all.map((e) => e.getAttribute('data-track-item')).join()),
    (s) => s.includes('plant.ramp1'),
    'it joins the newest track',
  );
});

test('by mouse: wires to inputs, to cards, to empty space, from the middle of a wire, and their ends moved', async () => {
  await began();
  await addAt('step', 0.15, 0.2);
  // from an output to empty space: what takes it
  const right = await pane(0.5, 0.2);
  await drag(await centre(output('step1')), right);
  await search('low pass');
  await linesAre(
    ["step1 = step(at = 1 's', to = 1)", "lag1 = lag(step1, T = 0.1 's')"],
    'the search had the wire with it',
  );
  await addAt('sum', 0.5, 0.65);
  await linesAre(["step1 = step(at = 1 's', to = 1)", "lag1 = lag(step1, T = 0.1 's')", 'sum = in1 + in2'], 'a sum');
  // onto an input
  await drag(await centre(output('lag1')), await centre(input('sum', 'in1')));
  await until(
    async () => (await lines()).join(),
    (s) => s.includes('sum = lag1 + in2'),
    'wired to the input',
  );
  // anywhere onto a card: one place is free
  await drag(await centre(output('step1')), await centre(`${card('sum')} .signal-formula`));
  await until(
    async () => (await lines()).join(),
    (s) => s.includes('sum = lag1 + step1'),
    'wired to what was free',
  );
  // now nothing is free: it asks how
  await drag(await centre(output('step1')), await centre(`${card('sum')} .signal-formula`));
  await page.waitForSelector('[data-testid="wire-menu"]');
  await page.click('[data-testid="wire-menu"] [data-way="- step1"]');
  await until(
    async () => (await lines()).join(),
    (s) => s.includes('sum = lag1 + step1 - step1'),
    'as was chosen',
  );
  await page.click('[aria-label^="Undo"]').catch(() => undefined);
  // from an input to empty space: what feeds it
  await addAt('gain', 0.8, 0.25);
  await drag(await centre(input('gain', 'in1')), await pane(0.8, 0.75));
  await search('sine');
  await until(
    async () => (await lines()).join('\n'),
    (s) => /gain = 2\*sine\d?/.test(s),
    'what was found feeds it',
  );
  // a branch from the middle of a wire
  for (let tries = 0; (await page.$('[aria-label="Branch of lag1"]')) === null && tries < 20; tries++) {
    const over = await middleOfWire('lag1');
    await page.mouse.move(over.x, over.y + 40);
    await page.mouse.move(over.x, over.y, { steps: 4 });
    await wait(150);
  }
  await page.waitForSelector('[aria-label="Branch of lag1"]');
  await drag(await centre('[aria-label="Branch of lag1"]'), await pane(0.25, 0.85));
  await search('saturation');
  await until(
    async () => (await lines()).join('\n'),
    (s) => s.includes('limit1 = limit(lag1, low = -1, high = 1)'),
    'the branch brings the same wire',
  );
});

test('a block dropped onto a wire goes in between; a wire is taken away; all is undone', async () => {
  await began();
  await addAt('step', 0.1, 0.25);
  await drag(await centre(output('step1')), await pane(0.75, 0.25));
  await search('integrator');
  await addAt('gain', 0.4, 0.7);
  const before = ["step1 = step(at = 1 's', to = 1)", 'integrate1 = integrate(step1)', 'gain = 2*in1'];
  await linesAre(before, 'three lines');
  const wire = await middleOfWire('step1');
  const head = await centre(`${card('gain')} .signal-formula`);
  await drag(head, { x: wire.x, y: wire.y });
  const between = ["step1 = step(at = 1 's', to = 1)", 'integrate1 = integrate(gain)', 'gain = 2*step1'];
  await linesAre(between, 'it is in between');
  // the wire is chosen and taken away
  for (let tries = 0; (await page.$('[data-wire="gain"].selected')) === null && tries < 20; tries++) {
    const at = await middleOfWire('gain');
    await page.mouse.click(at.x, at.y);
    await wait(150);
  }
  await page.keyboard.press('Delete');
  await linesAre([between[0], 'integrate1 = integrate()', between[2]], 'the wire is gone');
  const undo = async (): Promise<void> => {
    await page.keyboard.down('Control');
    await page.keyboard.press('z');
    await page.keyboard.up('Control');
  };
  await undo();
  await linesAre(between, 'the wire is back');
  await undo();
  await linesAre(before, 'it is no longer in between');
  // copied with its wire, under a name of its own
  await choose('integrate1');
  await page.keyboard.down('Control');
  await page.keyboard.press('d');
  await page.keyboard.up('Control');
  await linesAre([...before, 'integrate2 = integrate(step1)'], 'a copy with its wire');
});

test('lines as text beside the drawing: edits in either change the same lines', async () => {
  await goTo(page, '#/control/control//');
  await page.waitForSelector(card('power'));
  await clickText('button', 'Lines');
  await page.waitForSelector('[data-testid="signal-text"] .cm-content');
  const content = (): Promise<string> => text('[data-testid="signal-text"] .cm-content');
  await until(content, (s) => s.includes('demand = gain*deviation + integral'), 'the lines are there');
  const where = await page.$eval(card('power'), (e) => e.closest('.react-flow__node')!.getAttribute('style'));
  await page.click('[data-testid="signal-text"] .cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press('End');
  await page.keyboard.up('Control');
  await page.keyboard.type('\nheadroom = most - power');
  await page.waitForSelector(card('headroom'));
  expect(await page.$eval(card('power'), (e) => e.closest('.react-flow__node')!.getAttribute('style'))).toBe(where);
  // a name changed in the details is changed in all lines
  await choose('deviation');
  await page.waitForSelector('[aria-label="Name of the line"]');
  await choose('headroom');
  await until(
    () => page.$eval('[aria-label="Name of the line"]', (e) => (e as HTMLInputElement).value),
    (s) => s === 'headroom',
    'its name is in the details',
  );
  await page.click('[aria-label="Name of the line"]', { clickCount: 3 });
  await page.keyboard.type('left');
  await page.keyboard.press('Enter');
  await until(content, (s) => s.includes('left = most - power'), 'the text follows');
  // lines of any text are pasted onto the sheet
  await page.evaluate(() => {
    const data = new DataTransfer();
    data.setData('text/plain', 'half = 0.5*left\n// from elsewhere\nleft = 2*half');
    document
      .querySelector('[data-testid="signal-board"]')!
      .dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
  });
  await until(content, (s) => s.includes('half = 0.5*left2') && s.includes('left2 = 2*half'), 'with free names');
  await until(
    async () =>
      new Set(await page.$$eval('.react-flow__node-card', (all) => all.map((e) => (e as HTMLElement).style.transform)))
        .size,
    (n) => n === 7,
    'each at a place of its own',
  );
  await page.keyboard.down('Control');
  await page.keyboard.press('z');
  await page.keyboard.up('Control');
  await until(content, (s) => !s.includes('half'), 'and are gone');
  // what is no line is told at its card, and stays as it was typed
  await page.click('[data-testid="signal-text"] .cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press('End');
  await page.keyboard.up('Control');
  await page.keyboard.type(' +');
  await page.waitForSelector(`${card('left')}.wrong`);
  await page.keyboard.press('Backspace');
  await page.keyboard.press('Backspace');
  await page.waitForSelector(`${card('left')}.wrong`, { hidden: true });
});

test('a box of one’s own: the same numbers, its sheet behind its card, and its lines back', async () => {
  await goTo(page, '#/control/control//');
  await page.waitForSelector(card('power'));
  await page.keyboard.press('f');
  await run();
  await until(
    () => text(`${card('power')} .now`),
    (s) => /W$/.test(s),
    'it has run',
  );
  const power = await text(`${card('power')} .now`);
  await choose('demand');
  await page.keyboard.down('Control');
  await page.click(`${card('integral')} .signal-formula`);
  await page.keyboard.up('Control');
  await clickText('.type-tray button', 'Make a part type');
  await until(
    async () => (await lines()).join('\n'),
    (s) => /demand = DemandPart\(/.test(s),
    'one line is left of them',
  );
  await run();
  await until(
    () => text(`${card('power')} .now`),
    (s) => s === power,
    'the same value',
  );
  // its sheet is behind its card, with values
  await page.evaluate(
    (s) => document.querySelector(s)!.dispatchEvent(new MouseEvent('dblclick', { bubbles: true })),
    card('demand'),
  );
  await page.waitForSelector(card('integral'));
  await until(
    () => text(`${card('integral')} .now`),
    (s) => /\d/.test(s),
    'values of this use of it',
  );
  await page.goBack();
  await page.waitForSelector(card('power'));
  await choose('demand');
  await clickText('.type-tray button', 'Unfold');
  await page.waitForSelector(card('integral'));
  await run();
  await until(
    () => text(`${card('power')} .now`),
    (s) => s === power,
    'and the same again',
  );
});

test('a box with several outputs: each has its value and its wire, by mouse and by keyboard', async () => {
  await began();
  await clickText('button', 'Lines');
  await page.waitForSelector('[data-testid="signal-text"] .cm-content');
  await page.click('[data-testid="signal-text"] .cm-content');
  await page.keyboard.type('w = sine(f = 0.01)\ne = w - x\ni = integrate(e)\nx = lag(2*e + i, T = 5)\nthree = i - e');
  await page.waitForSelector(card('three'));
  await clickText('button', 'Lines');
  const empty = await pane(0.03, 0.97);
  await page.mouse.click(empty.x, empty.y);
  await run();
  const now = (): Promise<string> => text(`${card('three')} .now`);
  await until(now, (s) => /\d/.test(s), 'it has run');
  const three = await now();
  await choose('e');
  await page.keyboard.down('Control');
  await page.click(`${card('i')} .signal-formula`);
  await page.keyboard.up('Control');
  await clickText('.type-tray button', 'Make a part type');
  await linesAre(
    ['w = sine(f = 0.01)', 'ePart = EPart(w, x)', 'x = lag(2*ePart.e + ePart.i, T = 5)', 'three = ePart.i - ePart.e'],
    'what was used outside comes out of it',
  );
  await run();
  await until(now, (s) => s === three, 'the same value');
  await until(
    () => page.$$eval('[data-output]', (all) => all.map((x) => x.textContent ?? '')),
    (all) => all.length === 2 && all.every((x) => /\d/.test(x)),
    'each output has its value',
  );
  // the second output, led to where nothing is
  await drag(await centre(`${card('ePart')} [data-handleid="out:ePart.i"]`), await pane(0.85, 0.9));
  await search('magnitude');
  await until(
    async () => (await lines()).join(),
    (s) => s.includes('magnitude = abs(ePart.i)'),
    'it is that output',
  );
  // by keyboard: which of them, and to what
  await choose('ePart');
  await page.keyboard.press('w');
  await page.waitForSelector('[aria-label="Output of ePart"]');
  await page.keyboard.type('e');
  await page.keyboard.press('Enter');
  await page.waitForSelector('[aria-label="Wire ePart.e to"]');
  await page.keyboard.type('magn');
  await page.keyboard.press('Enter');
  await page.waitForSelector('[data-testid="wire-menu"]');
  await page.click('[data-testid="wire-menu"] [data-way="+ ePart.e"]');
  await until(
    async () => (await lines()).join(),
    (s) => s.includes('magnitude = abs(ePart.i) + ePart.e'),
    'it is wired',
  );
  // both are watched
  await choose('ePart');
  await page.keyboard.press('t');
  await until(
    () => page.$$eval('.ribbon [data-track-item]', (all) => all.map((e) => e.getAttribute('data-track-item')).join()),
    (s) => s.includes('plant.ePart.e') && s.includes('plant.ePart.i'),
    'both have tracks',
  );
  // it is found by its name, as any block is
  await addAt('EPart', 0.3, 0.9);
  await until(
    async () => (await lines()).join(),
    (s) => s.includes('ePart1 = EPart()'),
    'another one of it',
  );
  await choose('ePart1');
  await page.keyboard.press('Delete');
  await choose('ePart');
  await clickText('.type-tray button', 'Unfold');
  await page.waitForSelector(card('i'));
  await run();
  await until(now, (s) => s === three, 'and the same again');
});

test('values over time from a file become lines, lists go over wires, and a circle is given a delay', async () => {
  await began();
  const file = join(tmpdir(), `course-${process.pid}.csv`);
  writeFileSync(file, 'time,wind.speed [m/s],note,load\n0,0,a,5\n1,2,b,5\n2,4,c,5\n3,4,d,1\n');
  const input = (await page.$('[aria-label="CSV file with values over time"]'))!;
  await (input as ElementHandle<HTMLInputElement>).uploadFile(file);
  await linesAre(
    [
      "speed = interpolate({0, 2, 3}, {0 'm/s', 4 'm/s', 4 'm/s'}, time)",
      'load = interpolate({0, 2, 3}, {5, 5, 1}, time)',
    ],
    'each column of numbers is a line',
  );
  await until(
    () => text('body'),
    (s) => s.includes('note: 4 rows are no numbers'),
    'what was left out is told',
  );
  await page.focus('[data-testid="signal-board"]');
  await page.keyboard.down('Control');
  await page.keyboard.press('z');
  await page.keyboard.up('Control');
  await linesAre([], 'one step back');
  await clickText('button', 'Lines');
  await page.waitForSelector('[data-testid="signal-text"] .cm-content');
  await page.click('[data-testid="signal-text"] .cm-content');
  await page.keyboard.sendCharacter('v = {1, 2*time}\ny = integrate(v)\na = 2*b + y[1]\nb = 0.2*a');
  await page.waitForSelector(card('b'));
  await clickText('button', 'Lines');
  await until(
    () => text('[data-testid="circles"]'),
    (s) => /a\s*→\s*b\s*→\s*a/.test(s) || /b\s*→\s*a\s*→\s*b/.test(s),
    'the circle is named',
  );
  await clickText('[data-testid="circles"] button', 'Put a lag of 1 ms into it');
  await until(
    async () => (await lines()).join('\n'),
    (s) => /lag\d? = lag\([ab], T = 1 'ms'\)/.test(s),
    'a lag stands in between',
  );
});

test('a sheet made sampled: compared before, then run from tick to tick', async () => {
  await goTo(page, '#/control/control//');
  await page.waitForSelector('[data-testid="make-sampled"]');
  await page.click('[aria-label="Period to try"]', { clickCount: 3 });
  await page.keyboard.type("5 's'");
  await page.select('[aria-label="Looked at"]', 'demand');
  await clickText('[data-testid="make-sampled"] button', 'Compare');
  await until(
    () => text('[data-testid="forms-difference"]'),
    (s) => /They differ by [\d.e-]+ %/.test(s),
    'how much they differ is told',
  );
  expect(await page.$$eval('[data-testid="make-sampled"] canvas', (all) => all.length)).toBe(2);
  await clickText('[data-testid="make-sampled"] button', 'Make it so');
  await until(
    () => text('[data-testid="rate"]'),
    (s) => s === 'every 5 s',
    'the sheet is sampled',
  );
  await until(
    () => text('[role="navigation"][aria-label="Outline"]'),
    (s) => s.includes('every 5 s'),
    'the outline says so',
  );
  await page.focus('[data-testid="signal-board"]');
  await run();
  // held between ticks: nearly what it was
  await until(
    () => text(`${card('power')} .now`),
    (s) => /^9\.\d+ W$/.test(s),
    'it runs from tick to tick',
  );
});

test('the loop in frequency: opened at a quantity, margins and charts, a second one laid over, what is wrong is told', async () => {
  await goTo(page, '#/control/control///loop');
  await page.waitForSelector('[data-testid="look"]');
  // where the heater is at its limit, nothing passes: the loop is looked at when it has settled
  await run();
  await page.click('[data-testid="look"]');
  await until(
    () => text('[data-testid="loop"] [role="alert"]'),
    (s) => s.includes('Say where the loop is opened'),
    'nothing was asked',
  );
  const type = async (label: string, name: string): Promise<void> => {
    await page.click(`[aria-label="${label}"]`, { clickCount: 3 });
    await page.keyboard.type(name);
    await page.keyboard.press('Escape');
  };
  await type('Where the loop is opened', 'control.deviation');
  await page.click('[data-testid="look"]');
  const facts = (): Promise<string> => text('[data-testid="loop-facts"]');
  // published nowhere, but the same as the command tells
  await until(facts, (s) => /Phase margin\s+50\.\d+ deg/.test(s) && /dies away/.test(s), 'margins of the opened loop');
  expect(
    await page.$$eval('[data-testid="loop"] canvas', (all) => all.map((c) => c.getAttribute('aria-label'))),
  ).toEqual([
    'Gain over frequency',
    'Phase over frequency',
    'Answer to a step by 1',
    'Poles and zeros',
    'Loop in the complex plane',
  ]);
  expect(await text('[data-testid="loop-modes"]')).toMatch(/plant\.body\.T/);
  // a readout at the pointer, in both charts at once
  const chart = await centre('[aria-label="Gain over frequency"]');
  await page.mouse.move(chart.x, chart.y);
  await until(
    () =>
      page.$$eval('[data-testid="loop"] figcaption', (all) =>
        all
          .slice(0, 2)
          .map((e) => e.textContent ?? '')
          .join('|'),
      ),
    (s) => s.split('|').every((x) => /^frequency [\d.e-]+/.test(x)),
    'both tell the frequency',
  );
  await clickText('.loop-form button', 'Lay over');
  await until(
    () => text('[data-testid="loop"] figcaption'),
    (s) => s.includes('(2)'),
    'two of them',
  );
  // all charts as one picture
  const files = mkdtempSync(join(tmpdir(), 'zelvar-loop-'));
  const cdp = await page.createCDPSession();
  await cdp.send('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: files,
    browserContextId: page.browserContext().id!,
  });
  await clickText('.pane-head button', 'Picture');
  await until(
    async () => Promise.resolve(readdirSync(files).filter((n) => n.endsWith('.png'))),
    (found) => found.length === 1,
    'the picture is saved',
  );
  const png = readFileSync(join(files, readdirSync(files)[0]));
  // five charts below each other
  expect(png.readUInt32BE(20)).toBeGreaterThan(800);
  // where its poles go with more gain, and that it ceases to hold somewhere
  await page.click('[aria-label="to of the trace"]', { clickCount: 3 });
  await page.keyboard.type('1000');
  await page.click('[data-testid="locus"] button[type="submit"]');
  await until(
    () => text('[data-testid="locus-told"]'),
    (s) => /changes at the gain times [\d.]+/.test(s) || /holds for (all|none)/.test(s),
    'the trace is told',
  );
  expect(await text('figure:has([aria-label="Poles and zeros"]) figcaption')).toContain(
    'with the gain times 0.1 .. 1000',
  );
  await type('Over which parameter the poles are traced', 'control.nothing');
  await page.click('[data-testid="locus"] button[type="submit"]');
  await until(
    () => text('[data-testid="locus"] [role="alert"]'),
    (s) => s.includes('control.nothing'),
    'no such parameter',
  );
  await type('Where the loop is opened', 'control.nothing');
  await page.click('[data-testid="look"]');
  await until(
    () => text('[data-testid="loop"] [role="alert"]'),
    (s) => s.includes('There is no quantity control.nothing'),
    'what is wrong is told',
  );
});

test('what a box is: asked, refuted with both sides, and the line to blame is one press away', async () => {
  await goTo(page, '#/control/control///probe');
  await page.waitForSelector('[data-testid="ask"]');
  await page.click('[data-testid="ask"]');
  const verdictOf = (property: string): Promise<string> => text(`[data-property="${property}"] .verdict`);
  await until(
    () => verdictOf('homogeneous'),
    (s) => s.trim() === 'refuted',
    'it has an offset and a limit',
  );
  expect(await verdictOf('timeInvariant')).toContain('holds');
  // both inputs together: only the limit bends it
  await until(
    () => text('[data-testid="culprit"]'),
    (s) => s.includes('in power') && !s.includes('in deviation'),
    'the limit is named',
  );
  // with the other input left at its value that is an offset
  await page.select('[aria-label="Input"]', 'wanted');
  await page.click('[data-testid="ask"]');
  await until(
    () => text('[data-testid="culprit"]'),
    (s) => s.includes('in deviation') && s.includes('in power'),
    'both are named',
  );
  expect(await page.$$eval('[data-testid="told"] canvas', (all) => all.length)).toBe(2);
  await page.click('[data-property="memoryless"]');
  await until(
    () => text('[data-testid="told"]'),
    (s) => s.includes('is all it remembers'),
    'another one',
  );
  await page.click('[data-property="homogeneous"]');
  await page.click('[data-testid="culprit"] button');
  // the sheet, with that line chosen
  await page.waitForSelector(`${card('deviation')}.selected`);
});

test('a requirement of a loop is judged where the setup looks, and says so where it does not', async () => {
  await page.goto(`${session.server.url}/?open=tube-capper`);
  await page.waitForSelector('.ribbon');
  const field = '[aria-label="When loops that requirements speak of are looked at"]';
  const verdict = async (): Promise<string> => {
    await goTo(page, '#/needs');
    await page.waitForSelector('[aria-label="Search requirements"]');
    await page.click('[aria-label="Search requirements"]', { clickCount: 3 });
    await page.keyboard.type('CAP-16');
    await until(
      () => text('main'),
      (s) => s.includes('1 of 17 requirements'),
      'the requirement alone',
    );
    return text('main');
  };
  await goTo(page, '#/bench');
  await page.waitForSelector(field);
  await run();
  expect(await verdict()).toMatch(/holds[\s\S]*78\.4 deg/);
  await goTo(page, '#/bench');
  await page.waitForSelector(field);
  await page.click(field, { clickCount: 3 });
  await page.keyboard.press('Backspace');
  await page.keyboard.press('Enter');
  await goTo(page, '#/needs');
  await page.click('main h2');
  await run();
  expect(await verdict()).toMatch(/undecided[\s\S]*does not say when it looks at loops/);
});
