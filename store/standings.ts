import { useMemo } from 'react';
import { outOfDate, type RunBasis } from '@/core/run/basis';
import { standingOf, type Standing } from '@/core/run/standing';
import type { Project, Requirement } from '@/core/project/project';
import type { RequirementFinding } from '@/core/verdicts/finding';
import { useProject } from './project-store';
import { useRuns, type RunView } from './run-store';
import type { HistoryEntry, HistoryFinding } from './storage';

/** A run as far as it is kept: of some only what they found. */
interface Judge {
  readonly setup: string;
  /** What it ran with; undefined where that is not known. */
  readonly basis: RunBasis | undefined;
  readonly run: RunView | undefined;
}

interface Judgement {
  readonly by: Judge;
  readonly finding: RequirementFinding | HistoryFinding;
}

/** What stands of a requirement, and the run it rests on as far as that is kept. */
export interface StandingOfRun extends Standing {
  readonly run: RunView | undefined;
  /** It rests on the run at hand. */
  readonly isNewest: boolean;
}

const byId = <T extends { readonly id: string }>(list: readonly T[] | undefined): ReadonlyMap<string, T> =>
  new Map(list?.map((x) => [x.id, x]));

/** Of each requirement what the newest of these runs that judged it found. */
export function newestJudgements(
  kept: readonly RunView[],
  history: readonly HistoryEntry[],
): ReadonlyMap<string, Judgement> {
  const began = new Set(kept.map((run) => run.at));
  const runs = [
    ...kept.map((run) => ({ at: run.at, by: judgeOf(run), findings: run.findings })),
    // a run that is kept is not taken twice
    ...history
      .filter((h) => !began.has(h.began ?? NaN))
      .map((h) => ({ at: h.began ?? h.at, by: judgeOfEntry(h), findings: h.findings })),
  ].sort((a, b) => b.at - a.at);
  const found = new Map<string, Judgement>();
  for (const { by, findings } of runs)
    for (const finding of findings) if (!found.has(finding.id)) found.set(finding.id, { by, finding });
  return found;
}

const judgeOf = (run: RunView): Judge => ({ setup: run.setup, basis: run.model.basis, run });

const judgeOfEntry = ({ setup, basis, findings }: HistoryEntry): Judge => ({
  setup,
  basis:
    basis?.setupId === undefined
      ? undefined
      : {
          ...basis,
          setupId: basis.setupId,
          requirements: Object.fromEntries(findings.flatMap((f) => (f.mark === undefined ? [] : [[f.id, f.mark]]))),
        },
  run: undefined,
});

const wholeFinding = (r: Requirement, f: RequirementFinding | HistoryFinding): RequirementFinding =>
  'lane' in f ? f : { ...f, key: r.key, worstAt: undefined, reason: '', lane: [] };

/** What stands of each requirement by now: by signature, by constants, or in the newest run that judged it. */
export function useStandings(): (r: Requirement) => StandingOfRun {
  const current = useRuns((s) => s.current);
  const findings = current?.findings;
  const basis = current?.model.basis;
  const kept = useRuns((s) => s.kept);
  const history = useRuns((s) => s.history);
  const project = useProject((s) => s.project);
  const constants = useProject((s) => s.constants);
  const before = useMemo(() => newestJudgements(kept, history), [kept, history]);
  return useMemo(() => {
    const [now, fixed] = [byId(findings), byId(constants)];
    const atHand = current && judgeOf(current);
    const olds = new Map<RunBasis, (r: Requirement) => string>();
    const oldOf = (r: Requirement, basis: RunBasis | undefined): string => {
      // of verdicts that were kept earlier it is not known what was judged
      if (!project || !basis || basis.requirements[r.id] === undefined) return '';
      let old = olds.get(basis);
      if (!old) olds.set(basis, (old = outOfDate(project, basis)));
      return old(r);
    };
    return (r) => {
      const finding = now.get(r.id);
      const judged = finding && atHand ? { by: atHand, finding } : before.get(r.id);
      const old = judged ? oldOf(r, judged.by.basis) : '';
      const standing = standingOf(r, judged && wholeFinding(r, judged.finding), fixed.get(r.id), old, judged?.by.setup);
      const by = standing.basis === 'run' ? judged?.by : undefined;
      return { ...standing, run: by?.run, isNewest: by !== undefined && by === atHand };
    };
    // the run at hand is another one with every row; what it found is not
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [findings, basis, constants, project, before, current?.at]);
}

/** Why a verdict that was written down speaks of something else than is there now; '' where it does not, or where that is not known. */
export function oldFinding(
  project: Project,
  { basis }: Pick<HistoryEntry, 'basis'>,
  r: Requirement,
  f: HistoryFinding,
): string {
  if (basis?.setupId === undefined || f.mark === undefined) return '';
  return outOfDate(project, { ...basis, setupId: basis.setupId, requirements: { [r.id]: f.mark } })(r);
}

/** Of each requirement, why what the run at hand found of it is out of date; '' where it is not. */
export function useOutOfDate(): (id: string) => string {
  const project = useProject((s) => s.project);
  const basis = useRuns((s) => s.current?.model.basis);
  return useMemo(() => {
    if (!project) return () => '';
    const requirements = byId(project.requirements);
    const old = outOfDate(project, basis);
    return (id: string) => {
      const r = requirements.get(id);
      return r ? old(r) : '';
    };
  }, [project, basis]);
}
