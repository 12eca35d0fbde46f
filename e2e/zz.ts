import { startServer, startChromium, newPage } from './browser';
import { goTo } from './session';
const [sample, hash, out, w, h, ...acts] = process.argv.slice(2);
void (async () => {
  const [server, chromium] = await Promise.all([startServer(), startChromium()]);
  const { page, errors } = await newPage(chromium.browser);
  await page.setViewport({ width: Number(w) || 1280, height: Number(h) || 800 });
  await page.goto(`${server.url}/?open=${sample}`);
  await page.waitForSelector('.ribbon');
  await goTo(page, hash);
  await new Promise((r) => setTimeout(r, 800));
  for (const a of acts) {
    const [kind, ...rest] = a.split(':'); const arg = rest.join(':');
    if (kind === 'click') await page.click(arg);
    else if (kind === 'key') await page.keyboard.press(arg as never);
    else if (kind === 'type') await page.keyboard.type(arg);
    else if (kind === 'wait') await new Promise((r) => setTimeout(r, Number(arg)));
    else if (kind === 'eval') console.log(await page.evaluate(arg));
    else if (kind === 'shot') await page.screenshot({ path: arg as `${string}.png` });
    else if (kind === 'run') { await page.keyboard.press('Space'); await page.waitForFunction(() => document.querySelector('[data-status]')?.getAttribute('data-status') !== 'running', { timeout: 20000 }).catch(() => 0); await new Promise((r) => setTimeout(r, 2500)); }
    await new Promise((r) => setTimeout(r, 250));
  }
  await page.screenshot({ path: out as `${string}.png` });
  console.log(errors);
  await chromium.stop(); server.stop();
})();
