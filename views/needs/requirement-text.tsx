import type { Requirement } from '@/core/project/project';
import { useProject } from '@/store/project-store';
import { CellField } from '@/ui/cell-field';

/** The sentence of a requirement, to be written in; letters typed one after the other are undone as one. */
export function RequirementText({ requirement: r }: { readonly requirement: Requirement }) {
  const { edit } = useProject.getState();
  return (
    <CellField
      value={r.text}
      label={`Text of ${r.key}`}
      multiline
      immediate
      placeholder="The … shall …"
      onCommit={(text) =>
        edit(
          { kind: 'update', list: 'requirement', id: r.id, changes: { text } },
          `Change the text of ${r.key}`,
          `text-${r.id}`,
        )
      }
    />
  );
}
