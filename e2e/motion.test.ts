import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshSample, goTo } from './session';

/** Shapes in space, drawn without a graphics card. */
const session = freshSample('balance-arm', { space: true });
let page: Page;
beforeEach(() => void (page = session.page));
const { until, text, fill, click, clickText, pause, runStatus } = person(() => page);
const go = (hash: string): Promise<void> => goTo(page, hash);

test('shapes move with the cursor; another number of segments is another arm at once', async () => {
  await go('#/product////motion');
  const note = (): Promise<string> => text('[data-testid="motion-note"]');
  await until(note, (s) => s.startsWith('39 shapes as they start'), 'drawn before any run');
  await clickText('.motion-bar button', 'Front');
  await page.click('.ribbon-bar .btn-primary');
  await page.select('select[aria-label="Pace"]', '0');
  await until(runStatus, (s) => s.startsWith('Let go finished'), 'the run ends');
  await until(note, (s) => s === '39 shapes at the cursor', 'the run is shown');
  await click('[aria-label="To the start"]');
  await pause(400);
  const shot = async (): Promise<string> =>
    Buffer.from(await (await page.$('[data-testid="motion"]'))!.screenshot()).toString('base64');
  const first = await shot();
  await click('[aria-label="Play the motion"]');
  await pause(900);
  await click('[aria-label="Pause the motion"]');
  expect((await shot()) === first).toBe(false);
  // the form of the part, from its declarations: whole numbers within limits
  await go('#/product///part%2Fp-coarse/motion');
  await fill('n of coarse', '2.5');
  await until(
    () => text('[data-testid="part-settings"]'),
    (s) => s.includes('n is a whole number'),
    'refused',
  );
  await page.keyboard.press('Escape');
  await fill('n of coarse', '5');
  await until(note, (s) => s.startsWith('36 shapes'), 'three segments fewer, before a run');
});
