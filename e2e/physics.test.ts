import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper, goTo } from './session';

/** Equations as a person writes, breaks and mends them, in a real browser. */
const session = freshCapper();
let page: Page;
beforeEach(() => void (page = session.page));
const { until, text, clickText } = person(() => page);
const go = (hash: string): Promise<void> => goTo(page, hash);
const balance = (): Promise<string> => text('[data-testid="balance"]');
const write = async (where: 'Home' | 'End', line: string): Promise<void> => {
  await page.waitForSelector('.cm-content');
  await page.click('.cm-content');
  await page.keyboard.down('Control');
  await page.keyboard.press(where);
  await page.keyboard.up('Control');
  await page.keyboard.type(where === 'End' ? `\n${line}` : `${line}\n`);
};

test('how equations are solved: balanced, broken, told why, mended by undo', async () => {
  await go('#/physics/spindle//');
  await clickText('.btn-group .btn', 'Solution');
  await until(balance, (s) => s.startsWith('balanced'), 'the part is balanced');
  await until(
    () => text('[data-testid="structure"]'),
    (s) => s.includes('5 states') && s.includes('copper.T'),
    'its states are named',
  );
  await clickText('.btn-group .btn', 'Equations');
  await write('End', 'current = 2*speed;');
  await clickText('.btn-group .btn', 'Solution');
  await until(balance, (s) => s.startsWith('1 equation too many'), 'the extra equation is counted');
  // the name of the equation leads to its place in the text
  await clickText('.structure-facts button', 'current = 2 * speed;');
  await until(
    () => text('.cm-content'),
    (s) => s.includes('current = 2*speed;'),
    'the text is open',
  );
  await page.click('[aria-label^="Undo"]');
  await clickText('.btn-group .btn', 'Solution');
  await until(balance, (s) => s.startsWith('balanced'), 'balanced again');
});

test('the editor and the document have one order of undo', async () => {
  await go('#/physics/spindle//');
  const content = (): Promise<string> => text('.cm-content');
  await page.waitForSelector('.cm-content');
  const before = await content();
  await write('End', '// first');
  // steps of typing that lie apart are undone apart
  await new Promise((resolve) => setTimeout(resolve, 2500));
  await page.keyboard.type(' second');
  await until(content, (s) => s.includes('// first second'), 'both are typed');
  const press = async (key: 'z' | 'y'): Promise<void> => {
    await page.keyboard.down('Control');
    await page.keyboard.press(key);
    await page.keyboard.up('Control');
  };
  await press('z');
  await until(content, (s) => s.includes('// first') && !s.includes('second'), 'the last step is undone in the editor');
  // the button undoes the step before, not the same one again
  await page.click('[aria-label^="Undo"]');
  await until(content, (s) => s === before, 'as it was');
  await page.click('.cm-content');
  await press('y');
  await press('y');
  await until(content, (s) => s.includes('// first second'), 'done again from inside the editor');
  // the caret stands where something came back
  await page.keyboard.type('!');
  await until(content, (s) => s.includes('// first second!'), 'typing goes on there');
});

test('parts of the library are used by name in a physics text, and run', async () => {
  await go('#/physics/guard//');
  await write(
    'Home',
    'Electrical.VoltageSource cell(V = 9); Electrical.Resistor lamp(R = 3); Electrical.Ground earth; equation connect(cell.p, lamp.p); connect(lamp.n, cell.n); connect(cell.n, earth.p);',
  );
  await clickText('.btn-group .btn', 'Solution');
  await until(balance, (s) => s.startsWith('balanced'), 'the circuit is balanced');
  await until(
    () => text('[data-testid="structure"]'),
    (s) => s.includes('equal another one'),
    'its links are merged',
  );
  await page.click('.ribbon-bar .btn-primary');
  await until(
    () => text('[data-testid="run-status"]'),
    (s) => s.includes('finished'),
    'the run ends',
  );
});
