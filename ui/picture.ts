import { download, fileName } from './download';

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
    return await new Promise((done, fail) =>
      canvas.toBlob((b) => (b ? done(b) : fail(new Error('The picture is too large'))), 'image/png'),
    );
  } finally {
    URL.revokeObjectURL(url);
  }
}

/** Saves a drawing as a file. */
export async function savePicture(svg: string, name: string, kind: 'svg' | 'png'): Promise<void> {
  if (kind === 'svg') return download(`${fileName(name)}.svg`, 'image/svg+xml', svg);
  download(`${fileName(name)}.png`, 'image/png', await pixelsOf(svg));
}
