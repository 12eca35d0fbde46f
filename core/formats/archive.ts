import { strToU8, zipSync } from 'fflate';

/** Texts in an archive, by path; the same texts are the same bytes. */
export const archiveOf = (files: Iterable<readonly [path: string, text: string]>): Uint8Array<ArrayBuffer> =>
  zipSync(Object.fromEntries([...files].map(([path, text]) => [path, strToU8(text)])), {
    mtime: new Date(2026, 0, 1),
  });
