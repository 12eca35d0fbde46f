import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { createChartRun } from '../core/behaviour/chart-run';
import type { RunValue } from '../core/behaviour/interpreter';
import { scxmlProgram } from '../core/formats/scxml-program';
import { readScxml } from '../core/formats/scxml-read';
import { print, complain, readBytes } from './output';

interface ScriptEvent {
  readonly event: string;
  readonly data?: RunValue;
  /** Milliseconds that pass before it. */
  readonly after?: number;
}

/** `zelvar chart`: runs a chart on its own. 0 it ran, 1 it never comes to rest, 2 a file cannot be read. */
export function chart(file: string, options: { readonly events?: string; readonly json?: boolean }): number {
  const bytes = readBytes(file);
  if (!bytes) return 2;
  const script = options.events === undefined ? [] : readScript(options.events);
  if (!script) return 2;
  const nextTo = (path: string): string | undefined => {
    try {
      return readFileSync(join(dirname(file), path), 'utf8');
    } catch {
      return undefined;
    }
  };
  const { value, problems } = readScxml(new TextDecoder().decode(bytes), { file: nextTo });
  for (const p of problems) complain(`${file}: ${p.severity}: ${p.message}`);
  if (!value) return 2;
  const run = createChartRun(scxmlProgram(value, nextTo));
  const told: { event: string | null; time: number; active: string[] }[] = [];
  const tell = (event: string | null): void => {
    const active = run.active().map((name) => value.ids.get(name) ?? name);
    told.push({ event, time: Number(run.time.toPrecision(12)), active });
    if (!options.json) print(`${event ?? 'start'}: ${active.join(' ')}`);
  };
  run.start();
  tell(null);
  for (const { event, data, after } of script) {
    if (after) run.advance(after / 1000);
    run.send(event, data);
    tell(event);
  }
  if (options.json) print(JSON.stringify(told, null, 1));
  if (run.problem) complain(run.problem);
  return run.problem ? 1 : 0;
}

function readScript(path: string): ScriptEvent[] | undefined {
  const bytes = readBytes(path);
  if (!bytes) return undefined;
  try {
    const all = JSON.parse(new TextDecoder().decode(bytes)) as unknown;
    if (!Array.isArray(all)) throw new Error('a list of events is needed');
    return all.map((x: unknown, k) => {
      const { event, data, after } = (x ?? {}) as Record<string, unknown>;
      const name = typeof event === 'string' ? event : (event as { name?: unknown } | undefined)?.name;
      if (typeof name !== 'string') throw new Error(`entry ${k + 1} has no event`);
      if (after !== undefined && !(typeof after === 'number' && after >= 0))
        throw new Error(`entry ${k + 1}: after is a number of milliseconds`);
      return {
        event: name,
        ...(data !== undefined && { data: data as RunValue }),
        ...(typeof after === 'number' && { after }),
      };
    });
  } catch (error) {
    complain(`${path}: ${(error as Error).message}`);
    return undefined;
  }
}
