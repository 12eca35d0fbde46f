import { hasErrors } from '../core/language/diagnostics';
import { fitTask, fitTogether, type FitTogether } from '../core/studies/fit-together';
import type { ColumnMap, Course } from '../core/studies/fit-model';
import { readyFromClass, readyFromSetup, type FitAnswer, type MeasuredFile } from '../core/studies/fit-prepare';
import { readMeasured } from '../core/studies/measured';
import { libraryOfText, stopWith, type TextOf } from './model-text';
import { complain, print, readBytes } from './output';
import { projectTexts, readSetup } from './read-project';
import { progress, readRanges } from './study-project';

export interface FitArguments {
  readonly class?: string;
  readonly setup?: string;
  readonly data: string;
  readonly map: readonly string[];
  readonly free: readonly string[];
  readonly shift?: string;
  readonly hold?: number;
  readonly seed?: number;
  readonly json?: boolean;
}

/** `zelvar fit`: 0 all values are decided, 1 some are not, 2 it could not be asked. */
export async function fit(file: string, options: FitArguments): Promise<number> {
  const stop = (message: string): number => {
    complain(`zelvar: ${message}`);
    return 2;
  };
  const ranges = readRanges(options.free);
  if (typeof ranges === 'string') return stop(ranges);
  if (ranges.length === 0) return stop('--free names what is to be found, such as --free friction=0:0.1');
  const maps: ColumnMap[] = [];
  for (const text of options.map) {
    const at = text.indexOf('=');
    if (at <= 0) return stop(`${text} is no map: write column=quantity`);
    maps.push({ column: text.slice(0, at).trim(), quantity: text.slice(at + 1).trim() });
  }
  const [bytes, dataBytes] = [readBytes(file), readBytes(options.data)];
  if (!bytes || !dataBytes) return 2;
  const { value: data, problem: unread } = readMeasured(dataBytes, options.data);
  if (!data) return stop(unread!.message);
  const measured = { data, maps, name: options.data };
  const found = file.endsWith('.mo') ? ofClass(file, bytes, options, measured) : ofProject(file, options, measured);
  if (!found) return 2;
  const { textOf, problems, value: ready } = found;
  if (!ready) return stopWith(problems, textOf, options.json);
  const shifts = options.shift === undefined ? [] : readRanges([`shift=${options.shift}`]);
  if (typeof shifts === 'string') return stop(shifts.replace('path=low:high', '--shift low:high'));
  for (const r of data.remarks) complain(`zelvar: ${options.data}: ${r}`);
  if (ready.left.length > 0) complain(`zelvar: ${options.data}: not compared: ${ready.left.join(', ')}`);
  const watch = progress('runs', false);
  const { value: task, problem } = fitTask([{ ready, name: options.data }], ranges, shifts[0]);
  const { value: report, problem: wrong = problem } = task
    ? await fitTogether(task, {
        holdBack: options.hold ?? 0,
        seed: options.seed ?? 1,
        goOn: (n: number) => watch.goOn(n, 400),
      })
    : {};
  if (!report)
    return wrong!.code === 'shift'
      ? stop(wrong!.message.replace('let it be moved in time', '--shift low:high moves it'))
      : stopWith([wrong!], textOf, options.json);
  if (options.json) print(JSON.stringify(asJson(report, ready.inputs), null, 1));
  else tellReport(report);
  return report.notDecided.length > 0 ? 1 : 0;
}

type Found = FitAnswer & { readonly textOf: TextOf };

function ofClass(file: string, bytes: Uint8Array, options: FitArguments, measured: MeasuredFile): Found | undefined {
  if (options.class === undefined) {
    complain('zelvar: --class says which class of the text is meant');
    return undefined;
  }
  const { library, textOf, problems } = libraryOfText(file, bytes);
  return { textOf, ...(hasErrors(problems) ? { problems } : readyFromClass(library, options.class, measured)) };
}

function ofProject(file: string, options: FitArguments, measured: MeasuredFile): Found | undefined {
  const found = readSetup(file, options.setup);
  return found && { textOf: projectTexts(found.project), ...readyFromSetup(found.project, found.setup, measured) };
}

const finite = (x: number | undefined): number | null => (x !== undefined && Number.isFinite(x) ? x : null);

const asJson = (r: FitTogether, inputs: readonly Course[]): object => ({
  values: Object.fromEntries(
    r.values.map((v) => [
      v.name,
      {
        value: v.value,
        low: v.low,
        high: v.high,
        deviation: finite(v.deviation),
        decided: v.isDecided,
        atEdge: v.isAtEdge,
      },
    ]),
  ),
  residual: r.residual,
  columns: r.columns.map(({ quantity, unit, rms, heldBack, before, autocorrelation, isWhite }) => ({
    quantity,
    unit,
    rms,
    heldBack: finite(heldBack),
    before: finite(before),
    autocorrelation,
    white: isWhite,
  })),
  drivenBy: inputs.map((c) => c.quantity),
  correlation: Object.fromEntries(
    r.values.map((a, i) => [a.name, Object.fromEntries(r.values.map((b, j) => [b.name, r.correlation[i][j]]))]),
  ),
  notDecided: r.notDecided.flatMap((g) => g.names),
  because: r.notDecided.map((g) => g.why),
  runs: r.runs,
  starts: r.starts,
  settled: r.settled,
  slopes: r.isAlong ? 'integrated' : 'differences',
  between: r.between,
});

const short = (x: number): string => String(Number(x.toPrecision(5)));

function tellReport(r: FitTogether): void {
  for (const v of r.values)
    print(
      `${v.name} = ${short(v.value)}${v.isDecided ? `  (95 %: ${short(v.low)} to ${short(v.high)})` : '  (not decided)'}${v.isAtEdge ? '  at the edge of its range' : ''}`,
    );
  for (const g of r.notDecided) print(g.why);
  for (const c of r.columns)
    print(
      `${c.quantity}: residuals of ${short(c.rms)} ${c.unit}${c.before === undefined ? '' : `, ${short(c.before)} before`}${c.heldBack === undefined ? '' : `, ${short(c.heldBack)} where it was held back`}${c.isWhite ? '' : '; they hang together: the model does not explain all'}`,
    );
  if (r.between !== 'straight')
    print(
      `inputs that jump fit best ${r.between === 'held' ? 'as held until the next row' : 'as being there from the row before'}`,
    );
  print(
    `${r.runs} runs; ${r.starts.here} of ${r.starts.tried} starts came to this point${r.settled ? '' : '; it had not settled'}`,
  );
}
