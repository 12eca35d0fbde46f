import { download, fileName } from './download';

const pngOf = (canvas: HTMLCanvasElement): Promise<Blob> =>
  new Promise((done, fail) =>
    canvas.toBlob((b) => (b ? done(b) : fail(new Error('The picture is too large'))), 'image/png'),
  );

/** A drawing as pixels, twice as many as its size. */
async function pixelsOf(svg: string): Promise<Blob> {
  const image = new Image();
  const url = URL.createObjectURL(new Blob([svg], { type: 'image/svg+xml' }));
  try {
    image.src = url;
    await image.decode();
    // what browsers can hold
    const scale = Math.min(2, 16_000 / Math.max(image.width, image.height, 1));
    const canvas = document.createElement('canvas');
    [canvas.width, canvas.height] = [Math.ceil(image.width * scale), Math.ceil(image.height * scale)];
    const g = canvas.getContext('2d');
    if (!g) throw new Error('There is no canvas to draw on');
    g.scale(scale, scale);
    g.drawImage(image, 0, 0);
    return await pngOf(canvas);
  } finally {
    URL.revokeObjectURL(url);
  }
}

/** Saves a drawing as a file. */
export async function savePicture(svg: string, name: string, kind: 'svg' | 'png'): Promise<void> {
  if (kind === 'svg') return download(`${fileName(name)}.svg`, 'image/svg+xml', svg);
  download(`${fileName(name)}.png`, 'image/png', await pixelsOf(svg));
}

/** Charts that stand in an element, one below the other with what their curves are, saved as one file. */
export async function saveCharts(within: HTMLElement, name: string): Promise<void> {
  const ratio = window.devicePixelRatio || 1;
  const line = 18 * ratio;
  const canvas = document.createElement('canvas');
  const pen = canvas.getContext('2d')!;
  const small = `${11 * ratio}px 'JetBrains Mono Variable', monospace`;
  const figures = [...within.querySelectorAll<HTMLElement>('figure')].flatMap((figure) => {
    const chart = figure.querySelector('canvas');
    return chart ? [{ figure, chart }] : [];
  });
  const width = Math.max(1, ...figures.map((f) => f.chart.width));
  pen.font = small;
  // what the curves are, in their colours and as many to a line as there is room for
  const told = figures.map(({ figure }) => {
    let [x, row] = [8 * ratio, 0];
    return [...figure.querySelectorAll<HTMLElement>('figcaption > span')].map((span) => {
      const room = pen.measureText(span.innerText).width;
      if (x > 8 * ratio && x + room > width) [x, row] = [8 * ratio, row + 1];
      const at = x;
      x += room + 20 * ratio;
      return { text: span.innerText, ink: getComputedStyle(span).color, x: at, row };
    });
  });
  const heightOf = (k: number): number => figures[k].chart.height + (3 + (told[k].at(-1)?.row ?? 0)) * line;
  canvas.width = width;
  canvas.height = figures.reduce((sum, _, k) => sum + heightOf(k), 0);
  const css = getComputedStyle(document.documentElement);
  pen.fillStyle = css.getPropertyValue('--paper').trim();
  pen.fillRect(0, 0, canvas.width, canvas.height);
  let y = 0;
  figures.forEach(({ chart }, k) => {
    pen.font = `600 ${13 * ratio}px 'Instrument Sans Variable', sans-serif`;
    pen.fillStyle = css.getPropertyValue('--ink').trim();
    pen.fillText(chart.getAttribute('aria-label') ?? '', 8 * ratio, y + line);
    pen.drawImage(chart, 0, y + 1.4 * line);
    pen.font = small;
    for (const t of told[k]) {
      pen.fillStyle = t.ink;
      pen.fillText(t.text, t.x, y + 2.2 * line + chart.height + t.row * line);
    }
    y += heightOf(k);
  });
  download(`${fileName(name)}.png`, 'image/png', await pngOf(canvas));
}
