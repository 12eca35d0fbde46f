'use client';
import { nanoid } from 'nanoid';
import { carryEdit, itemOf } from '@/core/project/items';
import type { Link, PartType, Project } from '@/core/project/project';
import { useProject } from '@/store/project-store';
import { CellField } from '@/ui/cell-field';

/** What a link carries: one of the items there are, or the name of a new one. */
export function ItemField({
  project,
  type,
  link,
  problem,
}: {
  readonly project: Project;
  readonly type: PartType;
  readonly link: Link;
  readonly problem?: string | undefined;
}) {
  return (
    <CellField
      value={itemOf(project, link)?.name ?? ''}
      label={`Item of the link from ${link.from}`}
      placeholder="nothing named"
      list={project.items.map((i) => i.name)}
      problem={problem}
      onCommit={(text) =>
        useProject.getState().edit(
          carryEdit(project, type, link, text, () => `i-${nanoid(8)}`),
          'Say what a link carries',
        )
      }
    />
  );
}
