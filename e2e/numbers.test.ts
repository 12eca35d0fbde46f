import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper } from './session';

/** How quantities of software are kept in code. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { until, text, fill, click, clickText, area, run } = person(() => page);
const choose = async (label: string, value: string): Promise<void> => {
  await (await page.waitForSelector(`[aria-label="${label}"]`))!.select(value);
};
const row = (name: string): Promise<string> => text(`[data-testid="numbers"] [data-quantity="${name}"]`);
const undo = (): Promise<void> => click('[data-testid="undo"]');

test('a number kept with a fixed point: what it needs, how fine it is, and whether what a run met fits', async () => {
  await area('Board');
  await clickText('.board-head button', 'Numbers');
  await page.waitForSelector('[data-testid="numbers"]');
  // without limits nobody knows where the point is
  await choose('speed in code', 'fixed16');
  await until(
    () => row('speed'),
    (t) => t.includes('speed needs both limits'),
    'what is missing is told in its row',
  );
  await fill('Limits of speed', '-10 .. 10');
  await until(
    () => row('speed'),
    (t) => t.includes('−16 .. 16, 1/2048'),
    'its range and its steps are shown',
  );
  // as designed first: what was met would be beyond
  await run('Careful');
  await until(
    () => row('speed'),
    (t) => /would be beyond/.test(t),
    'what it met does not fit',
  );
  await fill('Limits of speed', '-40 .. 40');
  await until(
    () => row('speed'),
    (t) => t.includes('−64 .. 64') && t.includes('yes'),
    'with wider limits it does',
  );
  // all that have limits at once, and back
  await fill('Limits of temperature', '0 .. 150');
  await click('[data-testid="fixed-for-all"]');
  await until(
    () => row('temperature'),
    (t) => t.includes('0 .. 256, 1/256'),
    'every number with limits is kept so',
  );
  await undo();
  await until(
    () => row('temperature'),
    (t) => !t.includes('1/256'),
    'and one press takes it back',
  );
  // a whole number of 8 bits
  await choose('count in code', 'uint8');
  await until(
    () => row('count'),
    (t) => t.includes('0 .. 255'),
    'a whole number of fewer bits has its range',
  );
});
