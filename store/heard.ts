import type { Setup } from '@/core/project/project';
import { mostWatched } from '@/core/serial/messages';
import { serialIn } from '@/core/stepcode/stage';
import { useProject } from './project-store';

/** Whether a part is watched over a serial line in a setup. */
export const hasLine = (setup: Setup | undefined, part: string): boolean =>
  setup !== undefined && serialIn(setup).has(part);

/** Asks for a quantity of a part over its serial line, or no longer does. */
export function hear(setup: Setup, name: string, on: boolean): void {
  const heard = on ? [...setup.heard, name] : setup.heard.filter((n) => n !== name);
  void useProject
    .getState()
    .edit(
      { kind: 'update', list: 'setup', id: setup.id, changes: { heard } },
      `${on ? 'Hear' : 'Do not hear'} ${name} in ${setup.name}`,
    );
}

/** Whether a part can tell one quantity more. */
export const canHear = (setup: Setup, part: string): boolean =>
  setup.heard.filter((n) => n.startsWith(`${part}.`)).length < mostWatched;
