import * as Comlink from 'comlink';
import { create } from 'zustand';
import { boardNamed, boardsOf } from '@/core/boards/board';
import type { BuildRecord, Phase, PhaseName } from '@/core/evidence/build-record';
import type { KnownOfCase } from '@/core/evidence/gather';
import type { Project } from '@/core/project/project';
import type { StageText } from '@/core/stepcode/stage';
import type { EvidenceService, Outside } from '@/workers/evidence.worker';
import { frozenOf, knownOf, signedBy, toolsHere } from './evidence-store';
import { imageOf } from './images';
import { isStale, outcomeKey, runCases, stopCases, useProof } from './proof-store';

/** A build record as it is made, and the last one; kept as long as the page lives. */

interface RecordState {
  readonly tag: string;
  /** Per cent of what has to be come through below which it is not ready; empty for any. */
  readonly least: string;
  /** Ids of boards, or names of own ones, that images are built for. */
  readonly boards: readonly string[];
  readonly running: { readonly phase: PhaseName; readonly share: number } | undefined;
  /** Those that are over. */
  readonly phases: readonly Phase[];
  readonly made: { readonly project: Project; readonly record: BuildRecord; readonly archive: Uint8Array } | undefined;
  readonly problem: string;
  set(f: Partial<Pick<RecordState, 'tag' | 'least' | 'boards'>>): void;
}

export const useRecord = create<RecordState>()((set) => ({
  tag: '',
  least: '',
  boards: [],
  running: undefined,
  phases: [],
  made: undefined,
  problem: '',
  set: (f) => set(f),
}));

let worker: Worker | undefined;
/** Gives up the record that is being made. */
export function stopRecord(): void {
  worker?.terminate();
  worker = undefined;
  if (useRecord.getState().running?.phase === 'test') stopCases();
  useRecord.setState({ running: undefined });
}

/** Another project is opened: nothing of this one is of it. */
export function forgetRecord(): void {
  stopRecord();
  useRecord.setState({ phases: [], made: undefined, problem: '', boards: [] });
}

export async function makeBuildRecord(project: Project, stages: readonly (StageText | undefined)[]): Promise<void> {
  stopRecord();
  const { tag, least, boards } = useRecord.getState();
  const own = new Worker(new URL('../workers/evidence.worker.ts', import.meta.url), { type: 'module' });
  worker = own;
  useRecord.setState({ running: { phase: 'check', share: 0 }, phases: [], made: undefined, problem: '' });
  try {
    const { record, archive } = await Comlink.wrap<EvidenceService>(own).record(
      {
        ...{ project, stages, boards, tag: tag.trim(), least: (Number(least) || 0) / 100 },
        ...{ made: new Date().toISOString(), baseline: frozenOf(), tools: toolsHere(), signed: signedBy() },
      },
      Comlink.proxy(outsideOf(project, own)),
      Comlink.proxy((phase, share, over) => {
        if (worker !== own) return;
        useRecord.setState({
          running: { phase, share },
          ...(over && { phases: [...useRecord.getState().phases, over] }),
        });
      }),
    );
    if (worker === own) useRecord.setState({ made: { project, record, archive } });
  } catch (error) {
    if (worker === own) useRecord.setState({ problem: error instanceof Error ? error.message : String(error) });
  } finally {
    if (worker === own) stopRecord();
    else own.terminate();
  }
}

const outsideOf = (project: Project, own: Worker): Outside => ({
  async image(typeId, name) {
    const type = project.types.find((t) => t.id === typeId);
    const board = boardNamed(name, boardsOf(project));
    if (!type || !board) return 'It is not there any more';
    const image = await imageOf(project, type, name);
    return image ?? 'There is no code of it';
  },
  async tryCases(asked, tell) {
    const caseOf = new Map(project.cases.map((c) => [c.id, c]));
    const wanted = asked.flatMap(({ id, stage }) => {
      const of = caseOf.get(id);
      return of ? [{ of, stage }] : [];
    });
    const isFresh = ({ of, stage }: (typeof wanted)[number]): boolean => {
      const found = useProof.getState().known[outcomeKey(of.id, stage)];
      return found !== undefined && !isStale(project, of, found);
    };
    // the same case comes to the same, so that what is known counts
    const missing = wanted.filter((w) => !isFresh(w));
    const there = wanted.length - missing.length;
    tell(there);
    if (missing.length > 0) {
      const stop = useProof.subscribe((s, before) => {
        if (s.running && s.running.done !== before.running?.done && worker === own) tell(there + s.running.done);
      });
      await runCases(project, missing).finally(stop);
    }
    if (!wanted.every(isFresh)) throw new Error('The test cases were stopped, or the project was changed meanwhile');
    return wanted.flatMap(({ of, stage }): readonly KnownOfCase[] =>
      knownOf({ ...project, cases: [of] }, [stage]).map((k) => ({ ...k, of })),
    );
  },
});
