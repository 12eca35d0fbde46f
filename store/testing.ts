import type { Project } from '@/core/project/project';
import { createEngine } from '@/core/run/engine';
import type { RunUpdate } from '@/core/run/protocol';
import { useProject } from './project-store';
import { useRuns } from './run-store';

/** For tests: opens a project and lets a setup of it run to its end, without a worker. */
export async function runHere(project: Project, setup: string): Promise<void> {
  useProject.getState().open(project);
  useRuns.getState().clear();
  const { id, name, changes, stop } = project.setups.find((s) => s.name === setup)!;
  const engine = createEngine();
  engine.open(project, 0);
  const held: RunUpdate[] = [];
  await new Promise<void>((resolve, reject) => {
    const listen = (update: RunUpdate): void => {
      // the engine tells before its model is known here
      held.push(update);
      if (update.status === 'finished' || update.status === 'failed') resolve();
    };
    const { model, problems } = engine.start(id, { pace: 0 }, listen);
    if (!model) return reject(new Error(problems.map((p) => p.message).join('; ')));
    useRuns
      .getState()
      .begin({ model, setup: name, changes: changes.map((c) => `${c.name} = ${c.value}`).join(', '), stop });
  });
  for (const update of held) useRuns.getState().update(update);
}
