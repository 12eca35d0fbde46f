import { requirementReqif, requirementRows, requirementSheet } from '@/core/exchange/export';
import { writeCsvSheet } from '@/core/formats/sheet-csv';
import { writeXlsx } from '@/store/exchange';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { download, fileName } from '@/ui/download';

/** Writes the requirement sheet of the open project. */
export async function exportRequirements(kind: 'csv' | 'xlsx' | 'reqif'): Promise<void> {
  const { project } = useProject.getState();
  if (!project) return;
  if (project.requirements.length === 0)
    return usePlace.getState().say('There are no requirements to export yet', 'note');
  const name = `${fileName(project.name)}-requirements`;
  if (kind === 'csv')
    download(`${name}.csv`, 'text/csv;charset=utf-8', `\ufeff${writeCsvSheet(requirementRows(project))}`);
  else if (kind === 'reqif') download(`${name}.reqif`, 'application/xml', requirementReqif(project));
  else await exportSheet(name, requirementSheet(project));
}

export async function exportSheet(name: string, sheet: Parameters<typeof writeXlsx>[0][number]): Promise<void> {
  try {
    const bytes = await writeXlsx([sheet]);
    download(`${name}.xlsx`, 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet', bytes as BlobPart);
  } catch {
    usePlace.getState().say('The workbook could not be written');
  }
}
