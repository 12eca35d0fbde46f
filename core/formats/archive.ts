import { strToU8, zipSync } from 'fflate';

/** Files in an archive, by path; the same files are the same bytes. */
export const archiveOf = (
  files: Iterable<readonly [path: string, content: string | Uint8Array]>,
): Uint8Array<ArrayBuffer> =>
  zipSync(
    Object.fromEntries(
      [...files].map(([path, content]) => [path, typeof content === 'string' ? strToU8(content) : content]),
    ),
    { mtime: new Date(2026, 0, 1) },
  );
