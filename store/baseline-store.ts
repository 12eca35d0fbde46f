import { nanoid } from 'nanoid';
import { create } from 'zustand';
import { readProjectText, writeProjectJson } from '@/core/formats/project-file';
import { markOf } from '@/core/project/equations';
import type { Project } from '@/core/project/project';
import { usePlace } from './place-store';
import { useProject } from './project-store';
import { forgetBaseline, keepBaseline, loadBaselines, type Baseline } from './storage';

export type { Baseline };

/** Versions of the project that were frozen under a name, the newest first. */
interface BaselineState {
  readonly all: readonly Baseline[];
  /** Id of the one that is looked at, and of the one it stands beside; empty for the project as it is now. */
  readonly chosen: string;
  readonly beside: string;
  set(f: Partial<Pick<BaselineState, 'chosen' | 'beside'>>): void;
}

export const useBaselines = create<BaselineState>()((set) => ({
  all: [],
  chosen: '',
  beside: '',
  set: (f) => set(f),
}));

const told = (error: unknown): void => usePlace.getState().say(error instanceof Error ? error.message : String(error));

/** The baselines of a project that was opened. */
export async function readBaselines(projectId: string): Promise<void> {
  useBaselines.setState({ all: [], chosen: '', beside: '' });
  const all = await loadBaselines(projectId).catch(() => []);
  if (useProject.getState().project?.id === projectId) useBaselines.setState({ all });
}

/** Freezes the project as it is; whether that was kept. */
export async function freeze(project: Project, name: string, note: string): Promise<boolean> {
  const text = writeProjectJson(project);
  const made: Baseline = {
    ...{ id: `b-${nanoid(8)}`, projectId: project.id, name, note, at: Date.now() },
    text,
    mark: markOf(text),
  };
  try {
    await keepBaseline(made);
  } catch (error) {
    told(error);
    return false;
  }
  if (useProject.getState().project?.id === project.id)
    useBaselines.setState({ all: [made, ...useBaselines.getState().all], chosen: made.id, beside: '' });
  return true;
}

export async function forget(id: string): Promise<void> {
  try {
    await forgetBaseline(id);
    const { all, chosen, beside } = useBaselines.getState();
    useBaselines.setState({
      all: all.filter((b) => b.id !== id),
      chosen: chosen === id ? '' : chosen,
      beside: beside === id ? '' : beside,
    });
  } catch (error) {
    told(error);
  }
}

const versions = new Map<string, { readonly text: string; readonly version: Version }>();
export type Version = { readonly project: Project } | { readonly why: string };
/** What was frozen, or why it cannot be read any more. */
export function versionOf({ id, text }: Baseline): Version {
  const known = versions.get(id);
  if (known?.text === text) return known.version;
  const { value, problems } = readProjectText(text);
  const version = value ? { project: value } : { why: problems[0]?.message ?? 'It cannot be read' };
  versions.set(id, { text, version });
  return version;
}
