import { readFileSync } from 'node:fs';
import type { ElementHandle, Page } from 'puppeteer-core';
import { freshCapper, goTo } from './session';
import { person } from './person';

/**
 * The tour of the README, walked word by word: each piece of a step is done as it says. What a step says in bold, in italics or as
 * keys and names has to stand in a piece that is walked, so that the README cannot say what nobody has done.
 */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const {
  until,
  text,
  fill,
  click,
  clickText,
  choosePart,
  setup,
  run,
  runStatus,
  startRun,
  clock,
  dragCursor,
  sheet,
  pause,
} = person(() => page);

const readme = readFileSync('README.md', 'utf8');
const tour = /## A tour in five minutes\n([\s\S]*?)\n\|/.exec(readme)![1];
const steps = [...tour.matchAll(/^(\d+)\. ([\s\S]*?)(?=^\d+\. |$(?![\s\S]))/gm)].map((m) =>
  m[2].replace(/\s+/g, ' ').trim(),
);
const emphasised = (step: string): string[] =>
  [...step.matchAll(/\*\*(.+?)\*\*|(?<![A-Za-z])_(.+?)_(?![A-Za-z])|`(.+?)`/g)].map((m) => m[0]);

type Piece = readonly [says: string, act: () => Promise<unknown>];

const keys = async (...pressed: string[]): Promise<void> => {
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  for (const k of pressed) await page.keyboard.press(k as 'a');
};
const goes = (area: string): Promise<unknown> =>
  until(
    async () => page.url(),
    (u) => u.includes(`#/${area}`),
    `in ${area}`,
  );
const summary = (wanted: RegExp): Promise<unknown> =>
  until(
    () => text('[data-testid="summary"]'),
    (s) => wanted.test(s),
    `${wanted}`,
  );
const shows = (selector: string, wanted: RegExp): Promise<unknown> =>
  until(
    () => text(selector),
    (s) => wanted.test(s),
    `${selector} shows ${wanted}`,
  );
const typeInto = async (label: string, change: (before: string) => string): Promise<string> => {
  const before = await page.$eval(`[aria-label="${label}"]`, (e) => (e as HTMLTextAreaElement).value);
  await fill(label, change(before), false);
  return before;
};

/** Runs the setup at hand with its software on a board. */
const runsOn = async (stage: string): Promise<void> => {
  await (await page.waitForSelector('[aria-label="How ctrl runs"]'))!.select(stage);
  await run('Careful');
};

const pieces: readonly (readonly Piece[])[] = [
  [
    [
      '**Bench.** _Careful_ is chosen',
      () =>
        until(
          () => page.$eval('select[aria-label="Setup"]', (e) => (e as HTMLSelectElement).selectedOptions[0].text),
          (s) => s === 'Careful',
          'Careful',
        ),
    ],
    ['Press **Run** (or space)', () => startRun(() => clickText('.ribbon-bar button', 'Run'))],
    ['twelve requirements hold, four are open', () => summary(/^12 hold, 0 fail, 4 open/)],
  ],
  [
    ['Choose **Eager** and run again', () => run('Eager')],
    [
      'CAP-02 fails',
      async () => {
        await summary(/1 fail/);
        await shows('[data-testid="lamp-CAP-02"]', /fails by/);
      },
    ],
    [
      'Drag the cursor to the peak: the label of each curve tells the difference',
      async () => {
        await dragCursor(1.09, 2);
        await shows('[data-track-item="spindle.speed"]', /Δ/);
      },
    ],
  ],
  [
    [
      '**Needs** (`g n`)',
      async () => {
        await keys('g', 'n');
        await goes('needs');
      },
    ],
    [
      'Change "0.85" to "0.95", or misspell "torque", and see',
      async () => {
        const before = await typeInto('Text of CAP-02', (t) => t.replace('0.85', '0.95'));
        await shows('[data-requirement="CAP-02"] [data-testid="limit"]', /0\.95/);
        await fill('Text of CAP-02', before.replace('torque', 'torqe'), false);
        await shows('[data-requirement="CAP-02"] [data-testid="not-understood"]', /torqe/);
        await fill('Text of CAP-02', before, false);
      },
    ],
    [
      'Open the page of CAP-02',
      async () => {
        await click('[data-requirement="CAP-02"]');
        await click('[aria-label="Open the page of CAP-02"]');
        await shows('main', /Verdicts of all runs/);
      },
    ],
    [
      '_Import_ takes [a sheet](samples/capper-sheet.csv)',
      async () => {
        await sheet('Requirements');
        await clickText('button', 'Import');
        await (
          (await page.waitForSelector('[data-testid="import-file"]')) as ElementHandle<HTMLInputElement>
        ).uploadFile('samples/capper-sheet.csv');
        await shows('main', /capper-sheet\.csv/);
      },
    ],
    ['_Cap a tube_ is a use flow', () => sheet('Cap a tube')],
    [
      '_Derive requirements_ proposes sentences for its steps',
      async () => {
        await clickText('button', 'Derive requirements');
        await page.waitForSelector('.modal.show');
        await page.keyboard.press('Escape');
        await until(
          () => page.$('.modal.show'),
          (m) => m === null,
          'closed',
        );
      },
    ],
    [
      'Press `l` on any sheet to see what is linked to requirements, `i` for the impact of what is selected',
      async () => {
        await keys('l');
        await until(
          () => page.$eval('[data-testid="show-links"]', (e) => e.getAttribute('aria-pressed')),
          (p) => p === 'true',
          'links are shown',
        );
        await keys('l');
        await click('.flow-box.step');
        await keys('i');
        await page.waitForSelector('[data-testid="impact"]');
        await page.keyboard.press('Escape');
        await until(
          () => page.$('.modal.show'),
          (m) => m === null,
          'closed',
        );
      },
    ],
    [
      '_Matrix_, _Gaps and links_ and _Report_ sum it up',
      async () => {
        for (const s of ['Matrix', 'Gaps and links', 'Report']) await sheet(s);
      },
    ],
  ],
  [
    [
      '**Behaviour** (`g b`), part `ctrl`',
      async () => {
        await keys('g', 'b');
        await goes('behaviour');
        await choosePart('ctrl');
        await page.waitForSelector('.react-flow__node');
      },
    ],
    ['The state that is active at the cursor is lit', () => shows('[data-testid="active-state"]', /./)],
  ],
  [
    [
      '**Physics** (`g y`), part `spindle`',
      async () => {
        await keys('g', 'y');
        await goes('physics');
        await choosePart('spindle');
        await page.waitForSelector('.cm-content');
      },
    ],
    [
      'Write `speed + voltage` and read what is wrong with it',
      async () => {
        await page.click('.cm-content');
        await page.keyboard.down('Control');
        await page.keyboard.press('End');
        await page.keyboard.up('Control');
        await page.keyboard.type('\nfriction = speed + voltage;');
        await page.keyboard.press('Escape');
        await shows('[data-testid="physics-problems"]', /adds .* and .*/);
        await click('[data-testid="undo"]');
      },
    ],
    [
      '_Solution_ counts equations against unknowns',
      async () => {
        await clickText('.pane-head button', 'Solution');
        await shows('main', /unknown/);
      },
    ],
    [
      '_Network_ shows motor, gear and heat paths',
      async () => {
        await clickText('.pane-head button', 'Network');
        await page.waitForSelector('.react-flow__node');
      },
    ],
    [
      'add one from _Library_',
      () =>
        until(
          () => text('main'),
          (t) => t.includes('Library'),
          'the library',
        ),
    ],
    [
      '_Relations_ is a sheet on what it takes to hold the torque: untick _Known_ somewhere',
      async () => {
        await clickText('.pane-head button', 'Relations');
        await shows('main', /Known/);
      },
    ],
  ],
  [
    [
      '**Control** (`g c`), in the starter _Heated sample block_, part `control`',
      async () => {
        await page.goto(`${session.server.url}/?open=heated-block#/bench///`);
        await page.waitForSelector('.ribbon');
        await run('Heat up');
        await keys('g', 'c');
        await goes('control');
        await choosePart('control');
        await page.waitForSelector('[data-line="power"]');
      },
    ],
    [
      'Press `a` and type `low pass`, drop what comes onto a wire',
      async () => {
        await keys('a');
        await page.waitForSelector('[data-testid="block-search"] input');
        await page.keyboard.type('low pass');
        await page.keyboard.press('Enter');
        await page.waitForSelector('[data-line="lag1"]');
        await page.click('[aria-label^="Undo"]');
        await page.waitForSelector('[data-line="lag1"]', { hidden: true });
      },
    ],
    [
      'press `t` to watch it',
      async () => {
        await until(
          async () => {
            await page.click('[data-line="deviation"] .signal-formula');
            return page.$('[data-line="deviation"].selected');
          },
          (found) => found !== null,
          'it is chosen',
        );
        await page.keyboard.press('t');
        await page.waitForSelector('[data-line="deviation"] .watched');
      },
    ],
    [
      '_Loop_, opened at `control.deviation` when it has settled, shows its margins',
      async () => {
        await clickText('[aria-label="What of the control"] button', 'Loop');
        await page.waitForSelector('[aria-label="Where the loop is opened"]');
        await page.type('[aria-label="Where the loop is opened"]', 'control.deviation');
        await page.keyboard.press('Escape');
        await click('[data-testid="look"]');
        await shows('[data-testid="loop-facts"]', /Phase margin\s+50\.\d+ deg/);
      },
    ],
    [
      '_What it is_ says why the controller is not linear',
      async () => {
        await clickText('[aria-label="What of the control"] button', 'What it is');
        await click('[data-testid="ask"]');
        await shows('[data-testid="culprit"]', /in power it is homogeneous/);
        await page.goto(`${session.server.url}/?open=tube-capper#/bench///`);
        await page.waitForSelector('.ribbon');
      },
    ],
  ],
  [
    [
      "**Product**, _Motion_: the station at the cursor's moment",
      async () => {
        await keys('g', 'p');
        await goes('product');
        await goTo(page, '#/product////motion');
        await until(
          () => text('main'),
          (t) => t.includes('Motion'),
          'Motion',
        );
      },
    ],
    [
      'the starter _Balance arm_',
      async () => {
        await click('#file-menu');
        await clickText('.dropdown-item', 'Close the project');
        await clickText('button.starter strong', 'Balance arm');
        await page.waitForSelector('.ribbon');
        await page.goto(`${session.server.url}/?open=tube-capper#/bench///`);
        await page.waitForSelector('.ribbon');
      },
    ],
  ],
  [
    [
      'Set the **pace** to 1×, run _Careful_',
      async () => {
        await setup('Careful');
        await page.select('select[aria-label="Pace"]', '1');
        await startRun(() => clickText('.ribbon-bar button', 'Run'));
        await until(clock, (t) => t > 0.2, 'it runs');
      },
    ],
    ['open the guard with the switch on the panel', () => page.click('input[id^="switch-"]')],
    [
      'Paused, `.` goes on to the next event and `,` back to the one before',
      async () => {
        // on a busy machine its time may be over before anybody has looked, or while somebody reaches for the button
        const press = (label: string): Promise<boolean> =>
          page.evaluate((text) => {
            const buttons = [...document.querySelectorAll<HTMLElement>('.ribbon-bar button')];
            const found = buttons.find((e) => e.innerText.trim() === text && e.offsetParent !== null);
            found?.click();
            return found !== undefined;
          }, label);
        await until(
          async () => {
            const status = await runStatus();
            if (status.includes('finished')) await press('Run');
            else if (!status.includes('paused')) await press('Pause');
            return status;
          },
          (s) => s.includes('paused'),
          'paused',
        );
        const held = await clock();
        await keys('.');
        const on = await until(clock, (t) => t > held, 'the next event');
        await keys(',');
        await until(clock, (t) => t < on, 'the one before');
      },
    ],
    [
      '_Branch here_ goes another way',
      async () => {
        await page.waitForSelector('[aria-label="Branch here"]');
      },
    ],
    [
      '_What was said_ (Behaviour, the product)',
      async () => {
        await goTo(page, '#/behaviour////recorded');
        await shows('main', /start/);
      },
    ],
    [
      '_Real time_ lets its line of now move',
      () =>
        until(
          () => text('main'),
          (t) => t.includes('Real time'),
          'Real time',
        ),
    ],
  ],
  [
    [
      '**Product** (`g p`), _Inside_: _Items_ says on every link what it carries',
      async () => {
        await keys('g', 'p');
        await goes('product');
        await choosePart('Capper');
        await clickText('.pane-head button', 'Inside');
        await until(
          () => text('main'),
          (t) => t.includes('Items'),
          'Items',
        );
      },
    ],
    [
      'Choose `spindle`, and in _Tables_ rename its `speed` and watch every text follow',
      async () => {
        await choosePart('spindle');
        await clickText('.pane-head button', 'Tables');
        await fill('Name of speed', 'omega');
        await page.waitForSelector('[aria-label="Value of omega"]');
        await click('[data-testid="undo"]');
        await page.waitForSelector('[aria-label="Value of speed"]');
      },
    ],
    [
      '`Ctrl+K` finds everything and makes anything; `?` shows the keys',
      async () => {
        await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
        await page.keyboard.down('Control');
        await page.keyboard.press('k');
        await page.keyboard.up('Control');
        await page.waitForSelector('[cmdk-input]');
        await page.keyboard.type('new state');
        await shows('[cmdk-list]', /New state chart of SpindleDrive/);
        await page.keyboard.press('Escape');
        await pause(200);
        await keys('?');
        await page.waitForSelector('.modal.show');
        await page.keyboard.press('Escape');
        await pause(300);
      },
    ],
  ],
  [
    [
      '**Board** (`g d`)',
      async () => {
        await keys('g', 'd');
        await goes('board');
      },
    ],
    ['part `ctrl`', () => choosePart('ctrl')],
    [
      'the controller as C beside its elements; choose a state, or a line',
      async () => {
        await fill('Search elements', 'mode.Ready', false);
        await clickText('[data-testid="code-elements"] button span:first-child', 'mode.Ready');
        await shows('[data-testid="code-chosen"]', /mode\.Ready/);
      },
    ],
    [
      '_Edit_ brings what is changed there back into the model',
      async () => {
        await clickText('.code-bar button', 'Edit');
        const line = await page.waitForFunction(() =>
          [...document.querySelectorAll('.cm-line')].find((l) => l.textContent?.includes('out->ready += 1;')),
        );
        await (line as unknown as { click: () => Promise<void> }).click();
        await page.keyboard.press('End');
        await page.keyboard.type('\nstate->engage = false;');
        await shows('[data-testid="coming-back"]', /1 change of the model[\s\S]*entry state Ready/);
        await click('[data-testid="drop-edit"]');
        await page.waitForSelector('[data-testid="edit-code"]');
      },
    ],
    [
      '_Stages_ runs it as designed, in steps and as code',
      async () => {
        await clickText('.board-head button', 'Stages');
        await click('[data-testid="compare-stages"]');
        await shows('[data-testid="stages-words"]', /differ|the same/);
      },
    ],
    [
      'End the run and set the pace to _as fast as possible_',
      async () => {
        await click('[aria-label="End the run"]');
        await page.select('select[aria-label="Pace"]', '0');
      },
    ],
    [
      'on the bench choose _Larch 8_ under _Software runs_ and run _Careful_: CAP-13 fails, by how much and when',
      async () => {
        await clickText('.rail button', 'Bench');
        await goes('bench');
        await shows('.setup-form, main', /Software runs/);
        await runsOn('board:larch8');
        await summary(/1 fail/);
        await shows('.ribbon', /CAP-13\s+fails by 0\.101 ms/);
      },
    ],
    [
      'on _Larch 32_ it holds',
      async () => {
        await runsOn('board:larch32');
        await summary(/0 fail/);
        await clickText('.ribbon button', '5 more requirements');
        await shows('.ribbon', /CAP-13\s+holds/);
      },
    ],
    [
      '_Times_ says why',
      async () => {
        await keys('g', 'd');
        await clickText('.board-head button', 'Times');
        await shows('[data-testid="step-times"]', /Larch 32[\s\S]*longest step/);
      },
    ],
    [
      '_Pins_ shows what each signal goes through',
      async () => {
        await clickText('.board-head button', 'Pins');
        await click('[data-pin="P4"]');
        await shows('[data-testid="channel-details"]', /^guardSwitch/);
      },
    ],
    [
      'run _Loose guard wire_: CAP-05 fails, and the message that was lost is told beside its channel',
      async () => {
        await run('Loose guard wire');
        await shows('.ribbon', /CAP-05\s+fails by 203 ms/);
        await shows('[data-testid="channels"]', /1 message lost in this run/);
      },
    ],
  ],
  [
    [
      'In _Tables_ of **Product**',
      async () => {
        await clickText('.rail button', 'Product');
        await clickText('.pane-head button', 'Tables');
        await page.waitForSelector('[data-testid=quantities] .row-handle button');
      },
    ],
    [
      'choose a row by the grip at its left, `Shift` for several: `Ctrl+C` and `Ctrl+V` copy it, to another project or a spreadsheet too, and the right mouse button has the same',
      async () => {
        const rows = (): Promise<number> => page.$$eval('[data-quantity]', (all) => all.length);
        const before = await rows();
        const grips = await page.$$('[data-testid=quantities] .row-handle button');
        await grips[0].click();
        await page.keyboard.down('Shift');
        await grips[1].click();
        await page.keyboard.up('Shift');
        for (const [key, command] of [
          ['c', 'Copy'],
          ['v', 'Paste'],
        ] as const) {
          await page.keyboard.down('Control');
          await page.keyboard.press(key, { commands: [command] });
          await page.keyboard.up('Control');
        }
        await until(rows, (n) => n === before + 2, 'two copies');
        await (await page.$('[data-testid=quantities] .row-handle button'))!.click({ button: 'right' });
        await shows('[data-testid=element-menu]', /Copy[\s\S]*Paste[\s\S]*Duplicate/);
        await page.keyboard.press('Escape');
        await click('[data-testid="undo"]');
        await until(rows, (n) => n === before, 'as before');
      },
    ],
    [
      'On the ribbon `m` marks a moment, and each curve tells its difference to it',
      async () => {
        await page.focus('[data-testid=tracks]');
        await page.keyboard.press('Home');
        await page.keyboard.press('m');
        await dragCursor(0.9, 1);
        await shows('[data-track-item="spindle.speed"]', /⊢/);
      },
    ],
    [
      '`F1` is the help on the language',
      async () => {
        await page.keyboard.press('F1');
        await shows('[data-testid=help-text]', /language/);
      },
    ],
  ],
];

test('every step of the tour is walked, with everything it names', async () => {
  expect(steps).toHaveLength(pieces.length);
  for (const [k, step] of steps.entries()) {
    const walked = pieces[k].map(([says]) => says);
    for (const says of walked) expect([k + 1, step]).toEqual([k + 1, expect.stringContaining(says)]);
    const open = emphasised(step).filter((word) => !walked.some((says) => says.includes(word)));
    expect([k + 1, open]).toEqual([k + 1, []]);
    for (const [says, act] of pieces[k]) {
      try {
        await act();
      } catch (error) {
        throw new Error(`Step ${k + 1}, “${says}”: ${String(error)}`, { cause: error });
      }
    }
  }
}, 360_000);
