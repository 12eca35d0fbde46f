import { mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { ElementHandle, Page } from 'puppeteer-core';
import { person } from './person';
import { freshCapper, goTo } from './session';

/** What is handed over: evidence, and build records. */
const session = freshCapper();
let page: Page;
beforeEach(() => ({ page } = session));
const { until, text, fill, click, clickText, area } = person(() => page);
const openCase = async (id: string): Promise<void> => {
  await goTo(page, `#/proof////case%2F${id}`);
  await page.waitForSelector('[data-testid="case"]');
};
const lines = '[data-testid="script"] .cm-content';
const typeAtEnd = async (what: string): Promise<void> => {
  await page.click(lines);
  await page.keyboard.down('Control');
  await page.keyboard.press('End');
  await page.keyboard.up('Control');
  await page.keyboard.type(what);
};

test('evidence: what is missing counts as not passed, files say the same, and what was changed in one is found', async () => {
  const downloads = mkdtempSync(join(tmpdir(), 'zelvar-evidence-'));
  const client = await page.createCDPSession();
  await client.send('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: downloads,
    browserContextId: page.browserContext().id!,
  });
  await area('Proof');
  await (await page.waitForSelector('[aria-label="Cases with a tag"]'))!.select('controller');
  for (const stage of ['as set up', 'sampled'])
    await page.evaluate((wanted) => {
      const labels = [...document.querySelectorAll<HTMLElement>('[aria-label="Stages"] label')];
      labels.find((l) => l.innerText.trim() === wanted)!.click();
    }, stage);
  await until(
    () => text('[data-testid="run-cases"]'),
    (t) => t.trim() === 'Run 10',
    'ten cases as code',
  );
  await click('[data-testid="run-cases"]');
  await until(
    () => text('[data-testid="proof-words"]'),
    (t) => t === '10 of 10 passed.',
    'all pass',
  );
  await clickText('button', 'Evidence');
  await until(
    () => text('[data-testid="evidence-missing"]'),
    (t) => t.startsWith('6 outcomes are missing or out of date.'),
    'those of the machine have not run',
  );
  await fill('Signed by', 'Ada Moss', false);
  await click('[data-testid="make-evidence"]');
  const words = '[data-testid="evidence-words"]';
  await until(
    () => text(words),
    (t) => t === 'Not everything is decided',
    'it is put together',
  );
  const told = await text('[data-testid="evidence"]');
  expect(told).toMatch(/Outcomes passed\s+10 of 16/);
  expect(told).toMatch(/A tube is capped \(code\) was never run/);
  expect(told).toMatch(/The belt halts on its way is for none of these stages/);
  expect(told).not.toMatch(/not signed/);

  // the three files are there, and are as they were written
  for (const form of ['HTML', 'XLSX', 'JSON']) {
    await clickText('[data-testid="evidence"] button', form);
    await until(
      async () => readdirSync(downloads),
      (all) => all.includes(`tube-capper-evidence.${form.toLowerCase()}`),
      `the file ${form}`,
    );
  }
  const checked = '[data-testid="evidence-checked"]';
  const check = async (name: string): Promise<void> => {
    const input = (await page.$('[aria-label="Evidence to check"]')) as ElementHandle<HTMLInputElement>;
    await input.uploadFile(join(downloads, name));
    await until(
      () => text(checked),
      (t) => t.startsWith(`${name}: `),
      `${name} is looked at`,
    );
  };
  for (const ending of ['html', 'xlsx', 'json']) {
    await check(`tube-capper-evidence.${ending}`);
    expect(await text(checked)).toMatch(/nothing is wrong/);
    expect(await text(checked)).toMatch(/It is of this project, as it is/);
  }
  const html = readFileSync(join(downloads, 'tube-capper-evidence.html'), 'utf8');
  writeFileSync(join(downloads, 'nicer.html'), html.replace('○ open', '✓ met'));
  await check('nicer.html');
  expect(await text(checked)).toMatch(/something is wrong.*What it shows is not what its data says\s+line \d+/s);
  writeFileSync(join(downloads, 'cut.html'), html.slice(0, 5000));
  await check('cut.html');
  expect(await text(checked)).toMatch(/This page was cut short/);
  await clickText(`${checked} button`, 'Close');

  // an open point leads to what it is about; what has changed since is told
  await clickText('[data-testid="evidence-points"] button', 'A tube is capped (code) was never run');
  await page.waitForSelector('[data-testid="case"]');
  await openCase('k-too-hot');
  await typeAtEnd('\nexpect in(mode.Fault)');
  await area('Proof');
  await clickText('button', 'Evidence');
  await until(
    () => text('[data-testid="evidence"]'),
    (t) => /The project is another one since/.test(t),
    'it is out of date',
  );
  await check('tube-capper-evidence.json');
  expect(await text(checked)).toMatch(
    /It is of another state of this project: 1 piece differs\s+test case Too hot is another/,
  );
});

test('builds: a record is made phase by phase, can be stopped, says why it is not ready, and is one file that can be checked', async () => {
  const downloads = mkdtempSync(join(tmpdir(), 'zelvar-record-'));
  const client = await page.createCDPSession();
  await client.send('Browser.setDownloadBehavior', {
    behavior: 'allow',
    downloadPath: downloads,
    browserContextId: page.browserContext().id!,
  });
  await goTo(page, '#/proof////builds');
  await page.waitForSelector('[data-testid="make-record"]');
  // the design alone has the fewest cases that take long
  for (const stage of ['as set up', 'sampled'])
    await page.evaluate((wanted) => {
      const labels = [...document.querySelectorAll<HTMLElement>('.evidence-asked fieldset label')];
      labels.find((l) => l.innerText.trim() === wanted)!.click();
    }, stage);
  await fill('Least coverage', '120', false);
  await until(
    () => page.$eval('[data-testid="make-record"]', (e) => (e as HTMLButtonElement).disabled),
    (d) => d,
    'there is no such share',
  );
  await fill('Least coverage', '99', false);
  await fill('What the record is called', 'first try', false);
  await click('[aria-label="An image for Larch 8"]');
  await click('[data-testid="make-record"]');
  const phase = (name: string): Promise<string> => text(`[data-phase="${name}"]`);
  await until(
    () => phase('compile'),
    (t) => /Compile\s+CapperControl for Larch 8: \d+ of 32768 bytes of flash/.test(t),
    'an image is built, or came with the application',
  );
  await click('[data-testid="stop-record"]');
  await until(
    () => page.$$eval('[data-testid="record"]', (all) => all.length),
    (n) => n === 0,
    'it is given up',
  );
  await click('[data-testid="make-record"]');
  await page.waitForSelector('[data-testid="record-verdict"]', { timeout: 120_000 });
  expect(await text('[data-testid="record"]')).toMatch(
    /^Not ready, first try.*coverage is \d\d\.\d %, 99 % is asked for.*Run test cases\s+16 of 16 outcomes passed/s,
  );
  await clickText('[data-testid="record"] button', await text('[data-testid="record"] button'));
  await until(
    async () => readdirSync(downloads),
    (all) => all.includes('tube-capper-record.zip'),
    'the file',
  );
  await clickText('button', 'Evidence');
  const input = (await page.waitForSelector('[aria-label="Evidence to check"]')) as ElementHandle<HTMLInputElement>;
  await input.uploadFile(join(downloads, 'tube-capper-record.zip'));
  await until(
    () => text('[data-testid="evidence-checked"]'),
    (t) => /nothing is wrong.*Everything that belongs to the record is there as it was: 12 files/s.test(t),
    'it is as it was',
  );
});
