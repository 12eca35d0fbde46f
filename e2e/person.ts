import type { ElementHandle, Page } from 'puppeteer-core';

/** What a person at the screen does, in words of the interface. `page` is asked for anew each time. */
export function person(page: () => Page) {
  const pause = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));

  /** Waits until a question about the page has the wanted answer. */
  async function until<T>(ask: () => Promise<T>, good: (answer: T) => boolean, what: string): Promise<T> {
    let last: T | undefined;
    let missed: unknown;
    for (let tries = 0; tries < 600; tries++) {
      try {
        last = await ask();
        missed = undefined;
        if (good(last)) return last;
      } catch (error) {
        // the page is being drawn
        missed = error;
      }
      await pause(80);
    }
    if (process.env.ZELVAR_SHOT) await page().screenshot({ path: process.env.ZELVAR_SHOT as `${string}.png` });
    throw new Error(`${what}; last seen: ${JSON.stringify(last)}${missed ? `; then ${String(missed)}` : ''}`);
  }
  const text = (selector: string): Promise<string> => page().$eval(selector, (e) => (e as HTMLElement).innerText);
  const field = async (label: string): Promise<ElementHandle<HTMLInputElement>> => {
    const found = await page().waitForSelector(`[aria-label="${label}"]`, { timeout: 45_000 });
    return found as ElementHandle<HTMLInputElement>;
  };
  const valueOf = (label: string): Promise<string> =>
    page().$eval(`[aria-label="${label}"]`, (e) => (e as HTMLInputElement).value);

  /** Types into a field and commits with Enter. */
  async function fill(label: string, value: string, commit = true): Promise<void> {
    const el = await field(label);
    await el.evaluate((e) => {
      e.scrollIntoView({ block: 'center' });
      e.focus();
      e.select();
    });
    await page().keyboard.type(value);
    if (commit) await page().keyboard.press('Enter');
  }
  /** Finds something and presses it, once it can be pressed; once more where it was drawn anew in between, as a hand would. */
  async function press(find: () => Promise<ElementHandle<Element>>): Promise<void> {
    for (let tries = 0; ; tries++) {
      try {
        let el = await find();
        for (let waits = 0; await el.evaluate((e) => e.matches(':disabled')); waits++) {
          if (waits >= 500) throw new Error('What is to be pressed stays disabled');
          await pause(80);
          el = await find();
        }
        await el.evaluate((e) => e.scrollIntoView({ block: 'center' }));
        return await el.click();
      } catch (error) {
        if (tries >= 4 || !/detached|not clickable/i.test(String(error))) throw error;
        await pause(120);
      }
    }
  }
  const click = (selector: string): Promise<void> =>
    press(async () => (await page().waitForSelector(selector, { timeout: 45_000 }))!);
  const clickText = (selector: string, wanted: string): Promise<void> =>
    press(async () => {
      const handle = await page().waitForFunction(
        (s, w) =>
          [...document.querySelectorAll<HTMLElement>(s)].find(
            (e) => e.innerText.trim() === w && e.offsetParent !== null,
          ),
        { timeout: 45_000 },
        selector,
        wanted,
      );
      return handle.asElement() as ElementHandle<HTMLElement>;
    });
  const area = (name: string): Promise<void> => clickText('.rail button', name);
  const choosePart = async (name: string): Promise<void> => {
    await fill('Search the outline', name, false);
    const handle = await page().waitForFunction(
      (w) =>
        [...document.querySelectorAll<HTMLElement>('.outline-row')].find(
          (e) => e.innerText.split('\n')[0].trim() === w,
        ),
      { timeout: 45_000 },
      name,
    );
    await (handle.asElement() as ElementHandle<HTMLElement>).click();
  };
  /** A part of a new type with a state chart, open to be drawn. */
  async function newChart(): Promise<void> {
    await area('Product');
    await click('#add-part');
    await clickText('.dropdown-item', 'of a new type');
    await area('Behaviour');
    await choosePart('part');
    await clickText('button', 'Add a state chart');
  }
  const setup = (name: string): Promise<unknown> =>
    page().evaluate((w) => {
      const select = document.querySelector<HTMLSelectElement>('select[aria-label="Setup"]')!;
      select.value = [...select.options].find((o) => o.text === w)!.value;
      select.dispatchEvent(new Event('change', { bubbles: true }));
    }, name);
  const runStatus = (): Promise<string> => text('[data-testid="run-status"]');
  /** What is drawn dashed behind the run at hand. */
  const comparedRun = (): Promise<string> =>
    page().evaluate(
      () =>
        document.querySelector<HTMLSelectElement>('[aria-label="Earlier run that is compared"]')?.selectedOptions[0]
          .text ?? '',
    );
  /** Which run the ribbon tells of; empty before the first. */
  const runNow = (): Promise<string> =>
    page().evaluate(() => document.querySelector('[data-testid="run-status"]')?.getAttribute('data-run') ?? '');
  /** Presses something that starts a run, and waits until the ribbon tells of that one. */
  async function startRun(press: () => Promise<void>): Promise<void> {
    const before = await runNow();
    await press();
    await until(runNow, (id) => id !== '' && id !== before, 'another run begins');
  }
  async function run(name: string): Promise<void> {
    await setup(name);
    await startRun(() => clickText('.ribbon-bar button', 'Run'));
    await until(runStatus, (s) => s.startsWith(`${name} finished`), `the run ${name} finishes`);
  }
  const clock = async (): Promise<number> => Number(/([\d.]+) s/.exec(await text('[data-testid="clock"]'))![1]);
  const plotBox = async () => {
    const box = (await (await page().$('[data-testid="tracks"]'))!.boundingBox())!;
    const left = await page().$eval('.time-ruler', (e) => e.getBoundingClientRect().left);
    return { left, width: box.x + box.width - left, top: box.y, height: box.height };
  };
  /** Puts the cursor to a time of the whole run by dragging in the ribbon. */
  async function dragCursor(t: number, stop: number): Promise<void> {
    const { left, width, top } = await plotBox();
    await page().mouse.move(left + 10, top + 60);
    await page().mouse.down();
    await page().mouse.move(left + (t / stop) * width, top + 60, { steps: 4 });
    await page().mouse.up();
  }
  /** Opens a sheet of the needs in the outline. */
  const sheet = async (name: string): Promise<void> => {
    const handle = await page().waitForFunction(
      (w) =>
        [...document.querySelectorAll<HTMLElement>('.outline-row.as-button')].find(
          (e) => e.innerText.split('\n')[0].trim() === w,
        ),
      { timeout: 45_000 },
      name,
    );
    await (handle.asElement() as ElementHandle<HTMLElement>).click();
  };
  return {
    pause,
    sheet,
    until,
    text,
    field,
    valueOf,
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
    plotBox,
    dragCursor,
  };
}
