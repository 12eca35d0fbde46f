import { startChromium, startServer, newPage } from './browser';
import { person } from './person';
async function main() {
  const server = await startServer();
  const chromium = await startChromium();
  const { page, errors } = await newPage(chromium.browser);
  await page.goto(`${server.url}/?open=tube-capper`);
  await page.waitForSelector('.ribbon', { timeout: 30000 });
  const p = person(() => page);
  await p.area('Proof');
  await p.clickText('button', 'Evidence');
  await p.pause(500);
  await page.screenshot({ path: '/tmp/w/a1.png' });
  await p.clickText('button', 'Run them');
  await p.until(() => p.text('.evidence-asked'), (t) => !/missing or out of date/.test(t), 'all run').catch((e) => console.log(String(e).slice(0,200)));
  await p.fill('Signed by', 'Ada Moss', false);
  await p.click('[data-testid="make-evidence"]');
  await page.waitForSelector('[data-testid="evidence"]', { timeout: 60000 });
  await p.pause(500);
  await page.screenshot({ path: '/tmp/w/a2.png' });
  await page.setViewport({ width: 1024, height: 700 });
  await p.pause(300);
  await page.screenshot({ path: '/tmp/w/a3.png' });
  console.log(errors);
  await chromium.stop();
  server.stop();
}
void main();
