import { boardsOf } from '@/core/boards/board';
import type { Project } from '@/core/project/project';
import { isFor, type CaseInStage } from '@/core/proof/choose';
import { ownStages, type StageText } from '@/core/stepcode/stage';
import { useProof } from '@/store/proof-store';
import { stageWords } from '@/ui/stage-words';

export type Shown = StageText | 'asSet';
export const stageOf = (shown: Shown): StageText | undefined => (shown === 'asSet' ? undefined : shown);

/** Stages a case can run in here. */
export const stagesHere = (project: Project): readonly (readonly [Shown, name: string, meaning: string])[] => [
  ['asSet', 'as set up', 'each part as the setup of the case says'],
  ...[...ownStages, 'host' as const].map((s) => [s, s, stageWords[s]] as const),
  ...boardsOf(project).map((b) => [`board:${b.id}` as const, b.name, b.note] as const),
];

/** All cases in the stages that are shown. */
export function casesShown(project: Project): readonly CaseInStage[] {
  const { shown } = useProof.getState();
  return project.cases.flatMap((of) =>
    stagesHere(project).flatMap(([s]): CaseInStage[] =>
      shown.includes(s) && isFor(of, stageOf(s)) ? [{ of, stage: stageOf(s) }] : [],
    ),
  );
}

/** The stages that are shown beside each other in Proof, as they are chosen. */
export function stagesChosen(project: Project): readonly (StageText | undefined)[] {
  const { shown } = useProof.getState();
  return stagesHere(project).flatMap(([s]) => (shown.includes(s) ? [stageOf(s)] : []));
}

/** The stages that stand beside each other in Proof, to be chosen. */
export function StageChoice({ project }: { readonly project: Project }) {
  const shown = useProof((s) => s.shown);
  const { show } = useProof.getState();
  return stagesHere(project).map(([s, name, meaning]) => (
    <label key={s} className="proof-check" title={meaning}>
      <input
        type="checkbox"
        className="form-check-input"
        checked={shown.includes(s)}
        onChange={(e) => show(e.target.checked ? [...shown, s] : shown.filter((x) => x !== s))}
      />
      {name}
    </label>
  ));
}
