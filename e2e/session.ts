import type { Page } from 'puppeteer-core';
import { closePages, freshPage, startChromium, startServer, type Chromium, type Server } from './browser';

/** Every main view of the tube capper. */
export const views: readonly string[] = [
  '#/bench///',
  '#/bench///control%2Fn-station/panel%2Fa-operator',
  '#/bench////study%2Fy-creep',
  '#/bench////study%2Fy-friction',
  '#/bench////study%2Fy-late',
  '#/needs///requirement%2Fr-cap-02',
  '#/needs///requirement%2Fr-cap-02/requirement%2Fr-cap-02',
  '#/needs///line%2Fz-10/flow%2Ff-cap-a-tube',
  '#/needs////glossary',
  '#/needs////matrix',
  '#/needs////gaps',
  '#/needs////report',
  '#/needs////import',
  '#/product/spindle//quantity%2Fq-speed',
  '#/product////inside',
  '#/product////items',
  '#/product////motion',
  '#/behaviour/ctrl//state%2Fs-press',
  '#/behaviour////procedure%2Fd-caponetube',
  '#/behaviour////sequence%2Fq-cap-one-tube',
  '#/behaviour////recorded',
  '#/physics/spindle//',
  '#/physics/spindle///structure',
  '#/physics/spindle///network',
  '#/physics/spindle///relations',
  '#/physics////shared',
  '#/control/ctrl//',
  '#/control/spindle///loop',
  '#/control/spindle///probe',
  '#/control//t-spindlewatch//learnt',
  '#/control/gripper///learnt',
  '#/board/ctrl//chart%2Fc-mode%2Fstate%2Fs-ready',
  '#/board/ctrl///stages',
  '#/board/belt//',
  '#/proof///',
  '#/proof////case%2Fk-one-cap-step-by-step',
  '#/proof////coverage',
  '#/proof////strength',
  '#/proof////baselines',
  '#/proof////evidence',
  '#/proof////builds',
];

export const freshCapper = (): ReturnType<typeof freshSample> => freshSample('tube-capper');

/** Before each test: a fresh page with a sample open; after it: no error may have been told. */
export function freshSample(
  sample: string,
  options: Parameters<typeof startChromium>[0] = {},
): { readonly page: Page; readonly chromium: Chromium; readonly server: Server } {
  let server: Server, chromium: Chromium, page: Page, errors: string[];
  jest.setTimeout(180_000);
  jest.retryTimes(1, { logErrorsBeforeRetry: true });
  beforeAll(async () => {
    [server, chromium] = await Promise.all([startServer(), startChromium(options)]);
  });
  afterAll(async () => {
    await chromium?.stop();
    server?.stop();
  });
  beforeEach(async () => {
    ({ page, errors } = await freshPage(chromium.browser, server.url));
    await page.goto(`${server.url}/?open=${sample}`);
    await page.waitForSelector('.ribbon');
  });
  afterEach(async () => {
    expect(errors).toEqual([]);
    await closePages(page.browserContext());
  });
  return {
    get page() {
      return page;
    },
    get chromium() {
      return chromium;
    },
    get server() {
      return server;
    },
  };
}

/** Another place of the application, as if its address had been entered. */
export const goTo = (page: Page, hash: string): Promise<void> =>
  page.evaluate((h) => {
    location.hash = h;
    window.dispatchEvent(new PopStateEvent('popstate'));
  }, hash);
