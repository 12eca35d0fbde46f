import * as Comlink from 'comlink';
import type { ExchangeService, PlantUnit } from '@/core/exchange/service';
import type { SheetToWrite } from '@/core/formats/sheet-xlsx';
import type { Project } from '@/core/project/project';
import type { ReadTable } from '@/core/formats/table';
import type { ReportInput } from '@/core/trace/report';

/** A thread for files and reports, kept while it works and ended when nothing is left to do. */
let worker: Worker | undefined;
let service: Comlink.Remote<ExchangeService> | undefined;
let busy = 0;

async function withService<T>(work: (s: Comlink.Remote<ExchangeService>) => Promise<T>): Promise<T> {
  if (!worker) {
    worker = new Worker(new URL('../workers/exchange.worker.ts', import.meta.url), { type: 'module' });
    service = Comlink.wrap<ExchangeService>(worker);
  }
  busy++;
  try {
    return await work(service!);
  } finally {
    if (--busy === 0) endExchange();
  }
}

/** Ends the thread, whatever it is doing: what waits for it never comes. */
export function endExchange(): void {
  service?.[Comlink.releaseProxy]();
  worker?.terminate();
  worker = undefined;
  service = undefined;
  busy = 0;
}

export const readTable = async (file: File): Promise<ReadTable> => {
  const bytes = new Uint8Array(await file.arrayBuffer());
  return withService((s) => s.readTable(file.name, Comlink.transfer(bytes, [bytes.buffer])));
};

export const writeXlsx = (sheets: readonly SheetToWrite[]): Promise<Uint8Array> =>
  withService((s) => s.writeXlsx(sheets));

export const plantUnit = (project: Project, type: string): Promise<PlantUnit> =>
  withService((s) => s.plantUnit(project, type));

export const makeReport = (input: ReportInput, progress: (share: number) => boolean): Promise<string | undefined> =>
  withService((s) => s.report(input, Comlink.proxy(progress)));
