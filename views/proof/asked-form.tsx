import { useId, type ReactNode } from 'react';
import type { Project } from '@/core/project/project';
import { isFor } from '@/core/proof/choose';
import type { StageText } from '@/core/stepcode/stage';
import { useBaselines } from '@/store/baseline-store';
import { useEvidence } from '@/store/evidence-store';
import { isStale, outcomeKey, runCases, useProof } from '@/store/proof-store';
import { Button } from '@/ui/button';
import { casesShown, stageOf, stagesHere } from './case-matrix';

/** The stages that are shown beside each other in Proof, as they are chosen. */
export function stagesChosen(project: Project): readonly (StageText | undefined)[] {
  const { shown } = useProof.getState();
  return stagesHere(project).flatMap(([s]) => (shown.includes(s) ? [stageOf(s)] : []));
}

/** What is proved, on what, and who stands for it: of evidence and of build records. */
export function AskedForm({ project, children }: { readonly project: Project; readonly children?: ReactNode }) {
  const { shown, show, known, running } = useProof();
  const { signer, words, baseline, set } = useEvidence();
  const baselines = useBaselines((s) => s.all);
  const own = useId();
  const stages = stagesHere(project);
  const chosen = stages.flatMap(([s]) => (shown.includes(s) ? [stageOf(s)] : []));
  const missing = casesShown(project).filter(({ of, stage }) => {
    const found = known[outcomeKey(of.id, stage)];
    return !found || isStale(project, of, found);
  });
  const leftOut = project.cases.filter((c) => !chosen.some((s) => isFor(c, s)));
  return (
    <div className="coverage-types evidence-asked">
      <fieldset>
        <legend className="section-title p-0">Stages</legend>
        {stages.map(([s, name, meaning]) => (
          <label key={s} className="proof-check" title={meaning}>
            <input
              type="checkbox"
              className="form-check-input"
              checked={shown.includes(s)}
              onChange={(e) => show(e.target.checked ? [...shown, s] : shown.filter((x) => x !== s))}
            />
            {name}
          </label>
        ))}
      </fieldset>
      {missing.length > 0 && (
        <div data-testid="evidence-missing">
          <p className="now-ink mb-1">
            {missing.length} {missing.length === 1 ? 'outcome is' : 'outcomes are'} missing or out of date.
          </p>
          <Button size="sm" disabled={running !== undefined} onClick={() => void runCases(project, missing)}>
            {running ? `${running.done} of ${running.of} are through` : 'Run them'}
          </Button>
        </div>
      )}
      {leftOut.length > 0 && (
        <p className="now-ink mb-0">
          {leftOut.length} {leftOut.length === 1 ? 'case is' : 'cases are'} for none of these stages:{' '}
          {leftOut
            .slice(0, 3)
            .map((c) => c.name)
            .join(', ')}
          {leftOut.length > 3 ? ' …' : ''}
        </p>
      )}
      <label htmlFor={`${own}-baseline`}>Baseline that was tested</label>
      <select
        id={`${own}-baseline`}
        className="form-select form-select-sm"
        value={baselines.some((b) => b.id === baseline) ? baseline : ''}
        onChange={(e) => set({ baseline: e.target.value })}
      >
        <option value="">none</option>
        {baselines.map((b) => (
          <option key={b.id} value={b.id}>
            {b.name}
          </option>
        ))}
      </select>
      <label htmlFor={`${own}-signer`}>Signed by</label>
      <input
        id={`${own}-signer`}
        className="form-control form-control-sm"
        value={signer}
        maxLength={200}
        aria-label="Signed by"
        placeholder="who stands for it"
        autoComplete="off"
        onChange={(e) => set({ signer: e.target.value })}
      />
      <label htmlFor={`${own}-words`}>with the words</label>
      <textarea
        id={`${own}-words`}
        className="form-control form-control-sm"
        rows={2}
        value={words}
        maxLength={4000}
        onChange={(e) => set({ words: e.target.value })}
      />
      {children}
    </div>
  );
}
