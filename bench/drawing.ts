import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle, Page } from 'puppeteer-core';
import { writeProjectJson } from '../core/formats/project-file';
import { emptyProject, newType, type Chart, type Project } from '../core/project/project';
import { newPage, startChromium, startServer } from '../e2e/browser';
import { largeChart } from './behaviour';
import { median, row } from './measure';

/**
 * What a person waits for in the drawing of a chart: from Enter in the name of a state to the next frame, in the built application in headless Chromium without a
 * graphics card. `npm run bench -- drawing`, after `npm run build`.
 */

const projectOf = (chart: Chart): Project => ({
  ...emptyProject(`bench-${chart.states.length}`, `Chart of ${chart.states.length} states`),
  root: 'machine',
  types: [{ ...newType('machine', 'Machine'), charts: [chart] }],
});

function smallChart(): Chart {
  const large = largeChart();
  const states = large.states.slice(0, 10);
  const known = new Set(states.map((s) => s.id));
  return { ...large, states, transitions: large.transitions.filter((t) => known.has(t.from) && known.has(t.to)) };
}

async function frames(page: Page, times: number): Promise<number[]> {
  const found: number[] = [];
  for (let k = 0; k < times; k++) {
    const field = (await page.waitForSelector('[aria-label="Name of the state"]')) as ElementHandle<HTMLInputElement>;
    await field.evaluate((e) => e.select());
    await field.type(`N${k}`);
    // what an engineer waits for is the frame, whatever the application still does for the typing before it
    await new Promise((done) => setTimeout(done, 400));
    await page.evaluate(() => {
      const heard = (): void => {
        const started = performance.now();
        requestAnimationFrame(() => {
          const { port1, port2 } = new MessageChannel();
          port1.onmessage = () => (document.body.dataset.frame = String(performance.now() - started));
          port2.postMessage(0);
        });
      };
      delete document.body.dataset.frame;
      document.addEventListener('keydown', heard, { once: true, capture: true });
    });
    await page.keyboard.press('Enter');
    await page.waitForFunction(() => document.body.dataset.frame);
    found.push(Number(await page.evaluate(() => document.body.dataset.frame)));
    await new Promise((done) => setTimeout(done, 700));
  }
  return found;
}

async function benchDrawing(): Promise<void> {
  console.log('\nThe drawing of a chart');
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-bench-'));
  const [server, chromium] = await Promise.all([startServer(), startChromium()]);
  try {
    const medians: number[] = [];
    for (const [what, chart, state] of [
      ['10 states', smallChart(), 's7'],
      ['500 states and 2,000 transitions', largeChart(), 's7'],
    ] as const) {
      const { page, errors } = await newPage(chromium.browser);
      const file = join(folder, `${chart.states.length}.zelvar.json`);
      writeFileSync(file, writeProjectJson(projectOf(chart)));
      await page.goto(server.url);
      const input = (await page.waitForSelector('input[type=file]')) as ElementHandle<HTMLInputElement>;
      await input.uploadFile(file);
      await page.waitForSelector('.ribbon');
      await page.evaluate((s) => {
        location.hash = `#/behaviour///state%2F${s}/chart%2Fc`;
        window.dispatchEvent(new PopStateEvent('popstate'));
      }, state);
      await page.waitForSelector('.state-card');
      await new Promise((done) => setTimeout(done, 2000));
      const times = (await frames(page, 16)).slice(4);
      medians.push(median(times));
      row(
        `a renamed state of a chart of ${what}, to the next frame`,
        `${Math.min(...times).toFixed(0)}..${median(times).toFixed(0)} ms`,
        chart.states.length > 100 ? 'below 50 ms' : '',
      );
      if (errors.length > 0) throw new Error(errors.join('\n'));
      await page.browserContext().close();
    }
    row('  the large chart, against the small one', `${(medians[1] / medians[0]).toFixed(1)}x`, '');
  } finally {
    await chromium.stop();
    server.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

await benchDrawing();
