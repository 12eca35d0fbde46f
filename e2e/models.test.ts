import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle, Page } from 'puppeteer-core';
import { person } from './person';
import { freshSample, goTo } from './session';

/** Networks, relations, shapes and files of models, as a person works with them. */
const session = freshSample('rinse-unit');
let page: Page;
beforeEach(() => void (page = session.page));
const { until, text, fill, click, clickText, pause, valueOf, runStatus } = person(() => page);
const go = (hash: string): Promise<void> => goTo(page, hash);
const physics = (): Promise<string> => text('.cm-content');

/** A part type of its own, so that what is drawn stands alone. */
async function emptyType(): Promise<void> {
  await go('#/product////');
  await clickText('.pane-head button', 'Part');
  await clickText('.dropdown-item', 'of a new type');
  await page.waitForFunction(() =>
    [...document.querySelectorAll('.outline-row')].some((e) => (e as HTMLElement).innerText.includes('NewType')),
  );
  const row = await page.waitForFunction(() =>
    [...document.querySelectorAll<HTMLElement>('.outline-row')].find((e) => e.innerText.includes('NewType')),
  );
  await (row.asElement() as ElementHandle<HTMLElement>).click();
  await clickText('.rail button', 'Physics');
  await clickText('.btn-group .btn', 'Network');
}
async function fromLibrary(search: string): Promise<void> {
  await click('[data-testid="library"]');
  await page.waitForSelector('[aria-label="Search the library"]');
  await page.keyboard.type(search);
  await page.keyboard.press('Enter');
  await pause(500);
}
async function draw(from: string, to: string): Promise<void> {
  const at = async (end: string) =>
    (await (await page.waitForSelector(`.react-flow__handle[data-handleid="${end}"]`))!.boundingBox())!;
  const [a, b] = [await at(from), await at(to)];
  await page.mouse.move(a.x + a.width / 2, a.y + a.height / 2);
  await page.mouse.down();
  await page.mouse.move(b.x + b.width / 2, b.y + b.height / 2, { steps: 8 });
  await page.mouse.up();
  await pause(300);
}

test('a network drawn from the library stands in the text, is set in a form, and runs; the text changes the network', async () => {
  await emptyType();
  await fromLibrary('VoltageSource v given');
  await fromLibrary('Electrical resistor v = R i');
  await fromLibrary('ground');
  await until(
    physics,
    (s) =>
      s.includes('Electrical.VoltageSource voltageSource;') &&
      s.includes('Electrical.Resistor resistor;') &&
      s.includes('Electrical.Ground ground;'),
    'declared in the text',
  );
  await clickText('button', 'Tidy');
  await pause(2500);
  await draw('voltageSource.p', 'resistor.p');
  await draw('resistor.n', 'voltageSource.n');
  await draw('voltageSource.n', 'ground.p');
  await until(physics, (s) => (s.match(/connect\(/g) ?? []).length === 3, 'three links in the text');
  // what does not fit is refused with a reason
  await fromLibrary('inertia');
  await draw('resistor.p', 'inertia.a');
  await until(
    () => text('[role="alert"], .notice'),
    (s) => /Electrical\.Pin .*Rotational\.Flange/.test(s),
    'other ports do not fit',
  );
  await page.click('[data-testid="undo"]');
  // a form made from the declarations
  await click('[data-part="resistor"]');
  await fill('R of resistor', '4.7');
  await until(physics, (s) => s.includes('resistor(R = 4.7)'), 'set in the text');
  await fill('Name of the part', 'load');
  await until(
    physics,
    (s) => s.includes('load(R = 4.7)') && s.includes('load.p') && !s.includes('resistor.'),
    'renamed throughout',
  );
  // and the other way round
  await page.click('.cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press('Home');
  await page.keyboard.up('Control');
  await page.keyboard.type('Electrical.Capacitor smoothing(C = 1e-3);\n');
  await page.waitForSelector('[data-part="smoothing"]');
  await pause(600);
  await draw('smoothing.p', 'load.p');
  await draw('smoothing.n', 'load.n');
  await until(physics, (s) => (s.match(/connect\(/g) ?? []).length === 5, 'linked');
  await clickText('.btn-group .btn', 'Solution');
  await until(
    () => text('[data-testid="balance"]'),
    (s) => s.startsWith('balanced'),
    'balanced',
  );
});

test('a relation sheet finds what is not known, in both directions, and questions what looks wrong', async () => {
  await go('#/physics/drive///relations');
  const value = (name: string): Promise<string> =>
    text(`[data-testid="sheet-quantities"] tr[data-quantity="${name}"] td:nth-child(3)`);
  const known = (name: string): Promise<void> => click(`[aria-label="${name} is known"]`);
  await until(
    () => value('P'),
    (s) => s.trim() === '5.645',
    'the power',
  );
  // the other way: the power is given, the flow is found
  await known('P');
  await until(
    () => text('.relation-summary'),
    (s) => s.includes('Cannot all hold') || s.includes('nothing contradicts'),
    'judged',
  );
  await known('Q');
  await fill('Value of P', '8');
  await until(
    () => value('Q'),
    (s) => /^8\.50/.test(s.trim()),
    'the flow for 8 W',
  );
  // a new relation: its names become quantities with the unit the others ask for
  await clickText('.relation-side button', 'Relation');
  await pause(200);
  await page.keyboard.type('heat = P*(1 - eta)');
  await page.keyboard.press('Enter');
  await until(
    () => valueOf('Unit of heat'),
    (u) => u === 'W',
    'a unit is proposed',
  );
  await until(
    () => value('heat'),
    (s) => s.trim() === '3.04',
    'and its value found',
  );
  // a factor that converts by hand
  await pause(300);
  await page.keyboard.type('Phyd = Q*dp/600');
  await page.keyboard.press('Enter');
  await until(
    () => text('.relation-rows'),
    (s) => s.includes('Units convert by themselves'),
    'questioned',
  );
  await clickText('.relation-hint button', 'Take it out');
  await until(
    () => text('.relation-rows'),
    (s) => !s.includes('Units convert by themselves'),
    'taken out',
  );
  // sensitivities
  await click('[data-testid="sheet-quantities"] tr[data-quantity="Q"] td');
  await until(
    () => text('[data-testid="relation-details"]'),
    (s) => s.includes('dp') && s.includes('−1 %') && s.includes('+1 %'),
    'what moves it',
  );
  // all of it holds in a run
  await page.click('.ribbon-bar .btn-primary');
  await until(runStatus, (s) => s.includes('finished'), 'the run ends');
  await until(
    () => text('[data-testid="sheet-quantities"] tr[data-quantity="heat"] td:nth-child(5)'),
    (s) => s.trim() === '3.04',
    'in the run',
  );
});

test('models of a file become part types, run, and are written back', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-models-'));
  const file = join(folder, 'cooling.mo');
  writeFileSync(
    file,
    `// a cup that cools
function loss input Real T; output Real q; algorithm q := 0.5*(T - 20); end loss;
model Cup "cooling down"
  parameter Real C = 400 "heat capacity";
  Real T(start = 90); // the tea
equation
  C*der(T) = -loss(T);
  annotation(experiment(StopTime = 1000));
end Cup;
model Broken Real x; equation x = (1 + ; end Broken;
`,
  );
  const input = (await page.waitForSelector('input[aria-label="File to import"]')) as ElementHandle<HTMLInputElement>;
  await input.uploadFile(file);
  await until(
    () => text('[role="alert"], .notice'),
    (s) => /cooling\.mo: 2 part types, and a text of shared classes/.test(s) && /line 10, column \d+/.test(s),
    'imported, with the place of what is wrong',
  );
  await until(physics, (s) => s.includes('// the tea') && s.includes('C*der(T) = -loss(T);'), 'its text');
  await page.select(
    'select[aria-label="Setup"]',
    await page.$eval(
      'select[aria-label="Setup"]',
      (e) => [...(e as HTMLSelectElement).options].find((o) => o.text === 'Cup')!.value,
    ),
  );
  // the broken one keeps the project from running: it goes
  await page.click('[data-testid="undo"]');
  writeFileSync(file, readFileSync(file, 'utf8').replace(/model Broken.*\n/, ''));
  await input.uploadFile(file);
  await until(
    () => text('[role="alert"], .notice'),
    (s) => /cooling\.mo: 1 part type,/.test(s),
    'imported whole',
  );
  await page.select(
    'select[aria-label="Setup"]',
    await page.$eval(
      'select[aria-label="Setup"]',
      (e) => [...(e as HTMLSelectElement).options].find((o) => o.text === 'Cup')!.value,
    ),
  );
  await page.click('.ribbon-bar .btn-primary');
  await until(runStatus, (s) => s.startsWith('Cup finished'), 'it runs');
  const cdp = await session.chromium.browser.target().createCDPSession();
  await cdp.send('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: folder,
    browserContextId: page.browserContext().id!,
  });
  await click('#file-menu');
  await clickText('.dropdown-item', 'Export the physics as Modelica text');
  await until(
    async () => readdirSync(folder),
    (f) => f.includes('rinse-unit.mo'),
    'the file',
  );
  const written = readFileSync(join(folder, 'rinse-unit.mo'), 'utf8');
  expect(written).toContain('function loss input Real T;');
  expect(written).toMatch(/model Cup "cooling down"\n {2}parameter Real C = 400 "heat capacity";/);
});
