import { readCsvSheet } from '../formats/sheet-csv';
import { readReqifSheets } from '../formats/sheet-reqif';
import { readXlsxSheets, writeXlsxSheets, type SheetToWrite } from '../formats/sheet-xlsx';
import { remark, type ReadTable } from '../formats/table';
import type { Problem } from '../language/diagnostics';
import { explicitModel } from '../plantcode/explicit-model';
import { writePlantUnit } from '../plantcode/write-plant-unit';
import type { Project } from '../project/project';
import { legalName } from '../stepcode/c-names';
import { reportPieces, type ReportInput } from '../trace/report';

/** Long work on files, for a thread of its own. */
export interface ExchangeService {
  /** Reads a file of requirement sheets, whatever it is; its name only helps. */
  readTable(name: string, bytes: Uint8Array): Promise<ReadTable>;
  writeXlsx(sheets: readonly SheetToWrite[]): Promise<Uint8Array>;
  /** A part type of equations as a unit for co-simulation, by path in its archive; without it, what stands in the way. */
  plantUnit(project: Project, type: string): Promise<PlantUnit>;
  /** Makes the report; `progress` is told how far it is, 0 to 1, and says whether to go on. */
  report(input: ReportInput, progress: (share: number) => Promise<boolean> | boolean): Promise<string | undefined>;
}

export interface PlantUnit {
  readonly name: string;
  readonly files: readonly (readonly [path: string, text: string])[];
  readonly problems: readonly Problem[];
}

export const exchangeService: ExchangeService = {
  async readTable(name, bytes) {
    const isZip = bytes[0] === 0x50 && bytes[1] === 0x4b;
    const looksXml = new TextDecoder('latin1')
      .decode(bytes.subarray(0, 200))
      .replace(/\0/g, '')
      .trimStart()
      .replace(/^ï»¿|^ÿþ|^þÿ/, '')
      .startsWith('<');
    try {
      if (isZip || /\.xlsx$/i.test(name)) return await readXlsxSheets(bytes);
      if (looksXml || /\.(reqif|xml)$/i.test(name)) return readReqifSheets(bytes);
      return readCsvSheet(bytes, name);
    } catch (error) {
      return {
        value: undefined,
        remarks: [
          remark('error', `${name} cannot be read: ${error instanceof Error ? error.message : 'unknown reason'}`),
        ],
      };
    }
  },
  writeXlsx: writeXlsxSheets,
  async plantUnit(project, id) {
    const type = project.types.find((t) => t.id === id);
    const { value, problems } = type ? explicitModel(project, type) : { value: undefined, problems: [] };
    return {
      name: `${legalName(type?.name ?? id)}.fmu`,
      files: value ? [...writePlantUnit(value).files] : [],
      problems,
    };
  },
  async report(input, progress) {
    const parts: string[] = [];
    let told = 0;
    for (const piece of reportPieces(input)) {
      parts.push(piece.html);
      if (piece.progress - told < 0.02) continue;
      told = piece.progress;
      if (!(await progress(told))) return undefined;
    }
    return parts.join('');
  },
};
