import type { Page } from 'puppeteer-core';
import { freshCapper, goTo } from './session';
import { person } from './person';

/** The ribbon: a second moment, limits in the curves, axes per unit, runs to compare with, the way from a verdict to its signal. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { until, click, pause, run, fill, comparedRun, text, setup } = person(() => page);

const count = (selector: string): Promise<number> => page.$$eval(selector, (all) => all.length);
const track = (name: string): Promise<string> =>
  page.$eval(`.ribbon [data-track-item="${name}"]`, (e) => (e as HTMLElement).innerText.replace(/\s+/g, ' '));
const clock = (): Promise<number> => text('[data-testid=clock]').then((t) => Number(/=\s*([\d.]+)/.exec(t)![1]));

test('a mark: the differences in time and value are counted from it', async () => {
  await run('Careful');
  await page.focus('[data-testid=tracks]');
  await page.keyboard.press('Home');
  for (let k = 0; k < 100; k++) await page.keyboard.press('ArrowRight');
  const at = await clock();
  const value = async (): Promise<number> => Number(/(-?[\d.]+) rad\/s/.exec(await track('spindle.speed'))![1]);
  const before = await value();
  await page.keyboard.press('m');
  await page.waitForSelector('[data-testid=mark-line]');
  for (let k = 0; k < 20; k++) await page.keyboard.press('ArrowLeft');
  const gap = await text('[data-testid=mark-gap]');
  expect(Number(/=\s*(-?[\d.]+)/.exec(gap)![1])).toBeCloseTo((await clock()) - at, 3);
  const difference = Number(/⊢ ([+-]?[\d.e-]+)/.exec(await track('spindle.speed'))![1]);
  expect(Math.abs(difference - ((await value()) - before))).toBeLessThan(Math.max(0.06, Math.abs(difference) * 0.01));
  // dragged by the pointer
  const line = (await (await page.$('[data-testid=mark-line]'))!.boundingBox())!;
  await page.mouse.move(line.x + 1, line.y + 60);
  await page.mouse.down();
  await page.mouse.move(line.x + 60, line.y + 60, { steps: 4 });
  await page.mouse.up();
  expect((await (await page.$('[data-testid=mark-line]'))!.boundingBox())!.x).toBeGreaterThan(line.x + 50);
  await page.keyboard.press('m');
  await until(
    () => count('[data-testid=mark-line]'),
    (n) => n === 0,
    'taken away',
  );
});

test('limits stand in the curves of what they are about, and a verdict leads there', async () => {
  await run('Eager');
  await until(
    () => page.$$eval('.ribbon .limit-name', (all) => all.map((e) => (e as HTMLElement).innerText)),
    (names) => names.includes('CAP-01'),
    'the limits are named',
  );
  await goTo(page, '#/needs///');
  await page.focus('[data-testid=tracks]');
  await page.keyboard.press('Home');
  const lane = await page.evaluateHandle(() =>
    [...document.querySelectorAll<HTMLElement>('.ribbon [data-testid=show-signal]')].find((e) =>
      e.innerText.includes('fails'),
    ),
  );
  await lane.asElement()!.evaluate((e) => (e as HTMLElement).click());
  await until(clock, (t) => t > 0.5, 'the moment of the failure');
  await until(
    () =>
      page.$eval('.ribbon [data-track-item="cap.torque"]', (e) => {
        const [a, b] = [
          e.getBoundingClientRect(),
          document.querySelector('[data-testid=tracks]')!.getBoundingClientRect(),
        ];
        return a.top >= b.top - 2 && a.bottom <= b.bottom + 2;
      }),
    Boolean,
    'its signal is in sight',
  );
  await until(
    () => page.$$eval('.ribbon .limit-name', (all) => all.map((e) => (e as HTMLElement).innerText)),
    (names) => names.includes('CAP-02'),
    'with its limit',
  );
});

test('another unit has an axis of its own, and what has no track gets one', async () => {
  await run('Careful');
  await goTo(page, '#/product/spindle///');
  const grip = await page.waitForSelector('[data-name="spindle.torque"]');
  await grip!.evaluate((e) => e.scrollIntoView({ block: 'center' }));
  const from = (await grip!.boundingBox())!;
  const bar = (await (await page.$('.ribbon-bar .spacer'))!.boundingBox())!;
  const before = await count('.ribbon [data-track]');
  await page.mouse.move(from.x + from.width / 2, from.y + from.height / 2);
  await page.mouse.down();
  await page.mouse.move(bar.x + 10, bar.y + 8, { steps: 8 });
  await page.mouse.up();
  await until(
    () => count('.ribbon [data-track]'),
    (n) => n === before + 1,
    'dropped on the bar: a track of its own',
  );
  // onto a curve of another unit: the same plot, with another axis
  const target = (
    await (await page.$('.ribbon [data-track-item="spindle.current"]'))!.evaluateHandle((e) =>
      e.closest('[data-track]'),
    )
  ).asElement()!;
  await target.evaluate((e) => (e as HTMLElement).scrollIntoView({ block: 'center' }));
  await pause(200);
  const to = (await target.boundingBox())!;
  await page.mouse.move(from.x + from.width / 2, from.y + from.height / 2);
  await page.mouse.down();
  await page.mouse.move(to.x + 300, to.y + to.height / 2, { steps: 10 });
  // let go once it is shown where it would go, as a hand would
  await until(
    () => target.evaluate((e) => (e as HTMLElement).matches('.drop-over')),
    (x) => x,
    'it would go there',
  );
  await page.mouse.up();
  await until(
    () => target.evaluate((e) => (e as HTMLElement).innerText),
    (t) => t.includes('spindle.current') && t.includes('spindle.torque') && t.includes('N.m') && t.includes(' A'),
    'both in one plot, each with its unit',
  );
});

test('any kept run can be compared with', async () => {
  await run('Careful');
  await run('Eager');
  await run('Guard');
  expect(await comparedRun()).toMatch(/^earlier run \(Eager/);
  const careful = await page.$$eval('[aria-label="Earlier run that is compared"] option', (all) =>
    all.find((o) => (o as HTMLOptionElement).text.startsWith('Careful'))!.getAttribute('value'),
  );
  await page.select('[aria-label="Earlier run that is compared"]', careful!);
  expect(await comparedRun()).toMatch(/^Careful/);
  expect(await track('spindle.speed')).toContain('Δ');
  await page.select('[aria-label="Earlier run that is compared"]', 'none');
  expect(await track('spindle.speed')).not.toContain('Δ');
  // and after the page was opened anew
  await pause(600);
  await page.reload();
  await page.waitForSelector('[aria-label="Earlier run that is compared"]');
  expect(await count('[aria-label="Earlier run that is compared"] option')).toBe(3);
});

test('the interval of the recording follows the duration', async () => {
  await goTo(page, '#/bench///');
  await setup('Careful');
  await fill('Record every', '0.0002');
  await fill('Duration', '3600');
  const value = (label: string): Promise<string> =>
    page.$eval(`[aria-label="${label}"]`, (e) => (e as HTMLInputElement).value);
  await until(
    () => value('Record every'),
    (v) => v === '0.5',
    'it follows',
  );
  await fill('Record every', '0.001');
  await page.waitForSelector('[data-testid=many-rows]');
  expect(await text('[data-testid=many-rows]')).toMatch(/3,600,001 rows/);
  await click('[data-testid=many-rows] + button');
  await until(
    () => value('Record every'),
    (v) => v === '0.5',
    'the proposal is taken',
  );
});

test('curves are as wide as their lanes, whatever the area and the ribbon went through', async () => {
  await run('Careful');
  for (const to of ['#/behaviour/ctrl//', '#/needs///', '#/bench///', '#/physics/spindle//', '#/product////inside']) {
    await goTo(page, to);
    await until(
      () =>
        page.evaluate(() => {
          const wide = (e: Element): number => Math.round(e.getBoundingClientRect().width);
          const lanes = [...document.querySelectorAll('.ribbon canvas')];
          const lane = wide(lanes.find((e) => e.getAttribute('aria-label')!.startsWith('Verdict'))!);
          const body = document.querySelector('[data-testid=tracks]')!.getBoundingClientRect();
          return lanes
            .filter((e) => e.getAttribute('aria-label')!.startsWith('Curves'))
            .filter((e) => e.getBoundingClientRect().top < body.bottom)
            .every((e) => Math.abs(wide(e) - lane - 52) <= 2);
        }),
      Boolean,
      `curves at ${to}`,
    );
  }
});
