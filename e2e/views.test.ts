import type { Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper, goTo, views } from './session';

/** Every view, whatever the window, the theme and the project: nothing is cut off, and everything has a name. */
const session = freshCapper();
let page: Page;
beforeEach(() => void (page = session.page));
const { until, text, clickText, run, click } = person(() => page);

/** What a careful eye would mark on the page as it is. */
const marks = (): Promise<string[]> =>
  page.evaluate(() => {
    const found: string[] = [];
    const told = (e: Element): string =>
      `${e.tagName.toLowerCase()}.${[...e.classList].join('.')} "${((e as HTMLElement).innerText ?? '').trim().slice(0, 40)}"`;
    const isSeen = (e: Element): boolean =>
      e.checkVisibility({ opacityProperty: true, visibilityProperty: true }) && e.getBoundingClientRect().width > 0;
    if (document.documentElement.scrollWidth > document.documentElement.clientWidth)
      found.push(`the page is ${document.documentElement.scrollWidth} wide in ${document.documentElement.clientWidth}`);

    for (const e of document.querySelectorAll<HTMLElement>(
      'button, input:not([type=hidden]), select, textarea, [role=button]',
    )) {
      if (!isSeen(e)) continue;
      const labels = (e as HTMLInputElement).labels;
      const named =
        e.getAttribute('aria-label') ??
        (e.getAttribute('aria-labelledby') && document.getElementById(e.getAttribute('aria-labelledby')!)?.innerText) ??
        e.title;
      if (!named && e.innerText.trim() === '' && !(labels && labels.length > 0))
        found.push(`no name: ${e.outerHTML.slice(0, 200)} in ${told(e.parentElement!)}`);
    }
    for (const e of document.querySelectorAll<HTMLElement>('button, h1, h2, h3, h4, label, th, .badge, legend')) {
      if (!isSeen(e)) continue;
      const style = getComputedStyle(e);
      if (style.overflowX !== 'visible' && style.textOverflow !== 'ellipsis' && e.scrollWidth > e.clientWidth + 1)
        found.push(`cut off: ${told(e)}`);
      // beside the window, and nothing can be moved to bring it in
      const box = e.getBoundingClientRect();
      let moves = false;
      for (let at: Element | null = e.parentElement; at; at = at.parentElement)
        moves ||= /auto|scroll|hidden|clip/.test(getComputedStyle(at).overflowX) && at !== document.body;
      if (box.right > innerWidth + 1 && !moves) found.push(`beside the window: ${told(e)}`);
    }
    return found;
  });

/** Until the view has been drawn, and nothing changes any more. */
async function drawn(): Promise<void> {
  let before = '';
  await until(
    async () => {
      const now = await page.evaluate(
        () => `${document.body.innerText.length}/${document.querySelectorAll('*').length}`,
      );
      const same = now === before;
      before = now;
      return same && (await page.$('.spinner-border')) === null;
    },
    Boolean,
    'the view is drawn',
  );
}

test('in any width, in both themes, nothing is cut off, and everything that can be used has a name', async () => {
  await run('Careful');
  const all: string[] = [];
  for (const [width, height] of [
    [1024, 700],
    [1280, 800],
    [1920, 1080],
  ]) {
    await page.setViewport({ width, height });
    for (const view of views) {
      await goTo(page, view);
      await drawn();
      all.push(...(await marks()).map((m) => `${view} at ${width}: ${m}`));
    }
  }
  expect(all).toEqual([]);

  // the dark theme: words stand out from what is behind them (WCAG 2.2, 1.4.3)
  await click('button[aria-label="Dark theme"]');
  for (const view of views) {
    await goTo(page, view);
    await drawn();
    const faint = await page.evaluate(() => {
      const channels = (color: string): number[] => (color.match(/[\d.]+/g) ?? []).map(Number);
      const light = ([r, g, b]: number[]): number => {
        const [x, y, z] = [r, g, b].map((c) =>
          c / 255 <= 0.04045 ? c / 255 / 12.92 : ((c / 255 + 0.055) / 1.055) ** 2.4,
        );
        return 0.2126 * x + 0.7152 * y + 0.0722 * z;
      };
      const behind = (e: Element | null): number[] | undefined => {
        for (let at = e; at; at = at.parentElement) {
          const style = getComputedStyle(at);
          if (style.backgroundImage !== 'none') return undefined;
          const c = channels(style.backgroundColor);
          if (/^rgb/.test(style.backgroundColor) && (c.length === 3 || c[3] === 1)) return c;
          if (c.length === 4 && c[3] > 0) return undefined;
        }
        return undefined;
      };
      const found: string[] = [];
      for (const e of document.querySelectorAll<HTMLElement>('button, td, th, h1, h2, h3, label, p, input, select')) {
        if (!e.checkVisibility({ opacityProperty: true }) || (e as HTMLButtonElement).disabled) continue;
        const words = [...e.childNodes].some((n) => n.nodeType === Node.TEXT_NODE && n.textContent!.trim() !== '');
        const back = behind(e);
        const ink = getComputedStyle(e).color;
        if (!words || !back || !/^rgb/.test(ink)) continue;
        const [a, b] = [light(channels(ink)), light(back)];
        const contrast = (Math.max(a, b) + 0.05) / (Math.min(a, b) + 0.05);
        if (contrast < 4.5) found.push(`${contrast.toFixed(1)}: ${e.tagName} "${e.innerText.slice(0, 30)}"`);
      }
      return found;
    });
    expect([view, ...new Set(faint)]).toEqual([view]);
  }
});

test('an empty project: every view says what could be there and how it comes there', async () => {
  await page.evaluate(() => localStorage.removeItem('zelvar-last-project'));
  await page.goto(session.server.url);
  await page.waitForSelector('h1');
  await page.evaluate(async () => void (await document.fonts.ready));
  await until(
    async () => {
      if (!(await page.$('.ribbon'))) await clickText('button', 'New project');
      return (await page.$('.ribbon')) !== null;
    },
    Boolean,
    'a new project opens',
  );
  for (const view of views) {
    // places of another project lead to nothing, not to an error
    for (const hash of [view, view.replace(/\/[^/]*$/, '/')]) {
      await goTo(page, hash);
      await drawn();
      expect([hash, await marks()]).toEqual([hash, []]);
      expect([hash, (await text('main')).trim().length > 20]).toEqual([hash, true]);
    }
  }
  // all that can be there in Proof is reached before there is a test case
  await goTo(page, '#/proof///');
  for (const [sheet, says] of [
    ['Coverage', 'Nothing to come through'],
    ['Strength', 'Nothing to change'],
    ['Baselines', 'Nothing is frozen yet'],
    ['Test cases', 'No test cases yet'],
  ]) {
    await clickText('main button', sheet);
    await until(
      () => text('main'),
      (t) => t.includes(says),
      `${sheet} of an empty project`,
    );
  }
});
