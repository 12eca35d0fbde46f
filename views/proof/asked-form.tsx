import { useId, type ReactNode } from 'react';
import type { Project } from '@/core/project/project';
import { isFor } from '@/core/proof/choose';
import { useBaselines } from '@/store/baseline-store';
import { useEvidence } from '@/store/evidence-store';
import { isStale, outcomeKey, runCases, useProof } from '@/store/proof-store';
import { Button } from '@/ui/button';
import { casesShown, StageChoice, stagesChosen } from './stage-choice';

/** What is proved, on what, and who stands for it: of evidence and of build records. */
export function AskedForm({ project, children }: { readonly project: Project; readonly children?: ReactNode }) {
  const { known, running } = useProof();
  const { signer, words, baseline, set } = useEvidence();
  const baselines = useBaselines((s) => s.all);
  const own = useId();
  const chosen = stagesChosen(project);
  const missing = casesShown(project).filter(({ of, stage }) => {
    const found = known[outcomeKey(of.id, stage)];
    return !found || isStale(project, of, found);
  });
  const leftOut = project.cases.filter((c) => !chosen.some((s) => isFor(c, s)));
  return (
    <div className="coverage-types evidence-asked">
      <fieldset>
        <legend className="section-title p-0">Stages</legend>
        <StageChoice project={project} />
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
