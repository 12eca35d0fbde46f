import * as Comlink from 'comlink';
import { useDeferredValue, useMemo } from 'react';
import { create } from 'zustand';
import type { Problem } from '@/core/language/diagnostics';
import { addressOf, coverageReport, type CaseCame, type CoverageReport } from '@/core/coverage/report';
import { together, type Came, type Item } from '@/core/coverage/came';
import type { NearestMiss } from '@/core/proof/nearest-miss';
import type { ProposeAnswer } from '@/core/proof/propose-case';
import type { Project } from '@/core/project/project';
import { useProject } from './project-store';
import { newProofWorker, type ProofService } from './proof-pool';
import { isStale, useProof, type KnownOutcome } from './proof-store';

/** What test cases come through, from the outcomes that are known and not out of date. */

interface CoverageState {
  /** A stage, `asSet`, or all of them together. */
  readonly stage: string;
  /** Id of the part type that is looked at. */
  readonly typeId: string;
  readonly isAll: boolean;
  /** What is not come through is marked on sheets. */
  readonly isOnSheets: boolean;
  set(f: Partial<Pick<CoverageState, 'stage' | 'typeId' | 'isAll' | 'isOnSheets'>>): void;
}

export const useCoverageChoice = create<CoverageState>()((set) => ({
  stage: '',
  typeId: '',
  isAll: false,
  isOnSheets: false,
  set: (f) => set(f),
}));

export interface Coverage {
  readonly report: CoverageReport;
  readonly came: Came;
  /** Cases that it rests on. */
  readonly cases: readonly string[];
  /** Outcomes it rests on, and those that are out of date or were not counted. */
  readonly of: number;
  readonly stale: number;
  readonly stages: readonly string[];
}

let last: { readonly key: readonly unknown[]; readonly value: Coverage } | undefined;

/** The same for all who ask. */
function coverageOf(
  project: Project,
  known: Readonly<Record<string, KnownOutcome>>,
  problems: readonly Problem[],
  stage: string,
): Coverage {
  const key = [project, known, problems, stage];
  if (last && last.key.every((x, k) => x === key[k])) return last.value;
  const found: CaseCame[] = [];
  const stages = new Set<string>();
  let stale = 0;
  for (const of of project.cases)
    for (const [name, outcome] of Object.entries(known)) {
      const [id, in_] = [name.slice(0, name.indexOf(' ')), name.slice(name.indexOf(' ') + 1)];
      const { came } = outcome.outcome;
      if (id !== of.id) continue;
      if (!came || isStale(project, of, outcome)) {
        stale++;
        continue;
      }
      stages.add(in_);
      if (stage === '' || stage === in_) found.push({ of, came });
    }
  const value: Coverage = {
    report: coverageReport(project, found, problems),
    came: together(found.map((f) => f.came)),
    cases: [...new Set(found.map((f) => f.of.id))],
    of: found.length,
    stale,
    stages: [...stages],
  };
  last = { key, value };
  return value;
}

export function useCoverage(isWanted = true): Coverage | undefined {
  const project = useProject((s) => s.project);
  const problems = useProject((s) => s.problems);
  const known = useProof((s) => s.known);
  const stage = useCoverageChoice((s) => s.stage);
  // it may take a moment: what is typed does not wait for it
  const asked = useDeferredValue(
    useMemo(() => ({ project, problems, known, stage }), [project, problems, known, stage]),
  );
  return useMemo(
    () => (isWanted && asked.project ? coverageOf(asked.project, asked.known, asked.problems, asked.stage) : undefined),
    [asked, isWanted],
  );
}

const nothing: ReadonlyMap<string, string> = new Map();

/** What is missing of an item, as a word on a sheet. */
const words: Readonly<Record<string, string>> = {
  entered: 'not reached',
  left: 'never left',
  taken: 'not taken',
  trigger: 'a trigger is missing',
  rounds: 'not all rounds',
  outcome: 'one outcome only',
  condition: 'a condition is not shown',
  way: 'not all bounds',
};

const gapsOf = new WeakMap<CoverageReport, ReadonlyMap<string, string>>();
function gapWords(report: CoverageReport): ReadonlyMap<string, string> {
  let found = gapsOf.get(report);
  if (found) return found;
  const all = new Map<string, string>();
  for (const { items } of report.types)
    for (const { item, gap } of items) {
      if (item.hasCome || gap === 'dead' || gap === 'excused') continue;
      const at = addressOf(item);
      // the first says most: what is not reached is not left either
      if (!all.has(at)) all.set(at, words[item.kind]);
    }
  gapsOf.set(report, (found = all));
  return found;
}

/** Of elements that are not come through wholly, by address, what is missing in a few words; nothing where that is not shown. */
export function useGaps(): ReadonlyMap<string, string> {
  const isOnSheets = useCoverageChoice((s) => s.isOnSheets);
  const coverage = useCoverage(isOnSheets);
  return coverage ? gapWords(coverage.report) : nothing;
}

/** Of each part type, by name, its coverage; nothing where that is not shown. */
export function useShares(): ReadonlyMap<string, { readonly covered: number; readonly wanted: number }> {
  const isOnSheets = useCoverageChoice((s) => s.isOnSheets);
  const coverage = useCoverage(isOnSheets);
  return useMemo(() => new Map(coverage?.report.types.map((t) => [t.name, t])), [coverage]);
}

/** Asks a thread of its own; `stop` ends it. */
interface Asked<T> {
  readonly answer: Promise<T | undefined>;
  stop(): void;
}

function asked<T>(ask: (service: Comlink.Remote<ProofService>) => Promise<unknown>): Asked<T> {
  const worker = newProofWorker();
  let stop = (): void => undefined;
  const stopped = new Promise<undefined>((resolve) => (stop = () => resolve(undefined)));
  const answer = Promise.race([ask(Comlink.wrap<ProofService>(worker)) as Promise<T>, stopped]).finally(() =>
    worker.terminate(),
  );
  return { answer, stop };
}

/** Looks for a case that comes through something; `tell` is told how far it is. */
export const askForCase = (
  project: Project,
  typeId: string,
  item: Item,
  came: Came,
  tell: (share: number) => void,
): Asked<ProposeAnswer> => asked((s) => s.propose(project, typeId, item, came, Comlink.proxy(tell)));

/** Looks how near the cases came to something. */
export const askForNearest = (project: Project, cases: readonly string[], item: Item): Asked<NearestMiss | null> =>
  asked(async (s) => (await s.nearest(project, cases, item)) ?? null);
