import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeProjectJson } from '../../core/formats/project-file';
import { newCase, type Project } from '../../core/project/project';
import { tubeCapper } from '../../samples/tube-capper';

/** A case of the controller alone that takes next to no time. */
export const short = {
  ...newCase('k-short', 'Short'),
  alone: 't-cappercontrol',
  stop: 0.2,
  script: "wait 0.1 's'; expect not engage",
};

/** A folder of its own, with files of the demo in which something is another. */
export function capperFolder(name: string) {
  const folder = mkdtempSync(join(tmpdir(), `zelvar-${name}-`));
  const path = (file: string): string => join(folder, file);
  const projectFile = (file: string, more: Partial<Project>): string => {
    writeFileSync(path(file), writeProjectJson({ ...tubeCapper, ...more }));
    return path(file);
  };
  return { path, projectFile };
}
