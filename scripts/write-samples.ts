import { writeFileSync } from 'node:fs';
import { requirementReqif, requirementRows, requirementSheet } from '../core/exchange/export';
import { writeProjectJson } from '../core/formats/project-file';
import { writeCsvSheet } from '../core/formats/sheet-csv';
import { writeXlsxSheets } from '../core/formats/sheet-xlsx';
import { balanceArm } from '../samples/balance-arm';
import { heatedBlock } from '../samples/heated-block';
import { isItLinear } from '../samples/is-it-linear';
import { rinseUnit } from '../samples/rinse-unit';
import { tubeCapper } from '../samples/tube-capper';

const write = (name: string, content: string | Uint8Array): void =>
  writeFileSync(new URL(`../samples/${name}`, import.meta.url), content);

for (const project of [tubeCapper, heatedBlock, rinseUnit, balanceArm, isItLinear])
  write(`${project.id}.zelvar.json`, writeProjectJson(project));
// its specification sheet, as somebody else would send it
write('capper-sheet.csv', writeCsvSheet(requirementRows(tubeCapper)));
write('capper-sheet.xlsx', await writeXlsxSheets([requirementSheet(tubeCapper)]));
write('capper-sheet.reqif', requirementReqif({ ...tubeCapper, traces: [] }));
