import { nanoid } from 'nanoid';
import { limitOf } from '@/core/requirements/read-limit';
import { namesOfFormula } from '@/core/run/names-of-formula';
import type { RequirementFinding } from '@/core/run/run';
import { useLayout } from '@/store/layout-store';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { pointAt } from './watch';

/** Brings what a requirement is about into sight, at the moment it failed or came nearest to it; a track is made where there is none. */
export function showSignal(finding: Pick<RequirementFinding, 'id' | 'failsSince' | 'worstAt'>): void {
  const { project, edit } = useProject.getState();
  const { current, moveCursor } = useRuns.getState();
  const { say } = usePlace.getState();
  const requirement = project?.requirements.find((r) => r.id === finding.id);
  if (!project || !requirement || !current) return;
  const formula = limitOf(requirement, project.glossary).formula;
  const names = formula === undefined ? [] : namesOfFormula(formula, (n) => current.data.columns.has(n)).slice(0, 5);
  const at = finding.failsSince ?? finding.worstAt;
  if (at !== undefined) moveCursor(at);
  if (names.length === 0)
    return say(`Nothing that ${requirement.key} is about was recorded: look at what the setup records`, 'note');
  if (!useLayout.getState().ribbonOpen) useLayout.getState().toggleRibbon();
  const setup = project.setups.find((s) => s.id === useRuns.getState().setupId) ?? project.setups[0];
  const shown = project.tracks.filter((t) => !setup || setup.tracks.length === 0 || setup.tracks.includes(t.id));
  const missing = names.filter((n) => !shown.some((t) => t.items.includes(n)));
  if (missing.length > 0) {
    const id = nanoid(10);
    const label = `Show what ${requirement.key} is about`;
    const refused = edit(
      {
        kind: 'batch',
        label,
        edits: [
          { kind: 'insert', list: 'track', entry: { id, items: missing, height: 90 } },
          ...(setup && setup.tracks.length > 0
            ? [{ kind: 'update' as const, list: 'setup', id: setup.id, changes: { tracks: [...setup.tracks, id] } }]
            : []),
        ],
      },
      label,
    );
    if (refused) return say(refused.message);
  }
  pointAt(names, missing.length > 0);
}
