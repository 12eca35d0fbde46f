import { eraseConnect, erasePart } from '../network/edit-physics';
import { findAt, type Address } from '../project/address';
import type { Project } from '../project/document';
import type { Edit } from '../project/edit';
import { counted, declaredAt } from './clipping';

const connectAt = /^type\/([^/]+)\/connect\/(.+)\|(.+)$/;

/** Takes away what stands at some addresses, the parts and connections of physics texts included; undefined where nothing does. */
export function removal(
  project: Project,
  addresses: readonly Address[],
): { readonly edit: Edit; readonly label: string } | undefined {
  const own = addresses.filter((a) => findAt(project, a));
  const edits: Edit[] = own.length > 0 ? [{ kind: 'delete', addresses: own }] : [];
  let inTexts = 0;
  for (const type of project.types) {
    let { physics, layout } = type;
    for (const a of addresses) {
      const [, t, x, y] = declaredAt.exec(a) ?? connectAt.exec(a) ?? [];
      if (t !== type.id) continue;
      const before = physics;
      if (y !== undefined) physics = eraseConnect(physics, x, y);
      else {
        physics = erasePart(physics, x);
        layout = layout.filter((p) => p.name !== x);
      }
      if (physics !== before) inTexts++;
    }
    if (physics !== type.physics)
      edits.push({ kind: 'update', list: 'type', id: type.id, changes: { physics, layout } });
  }
  if (edits.length === 0) return undefined;
  const label = `Delete ${own.length + inTexts === 1 && own.length === 1 ? called(project, own[0]) : counted(own.length + inTexts, 'element')}`;
  return { edit: edits.length === 1 ? edits[0] : { kind: 'batch', label, edits }, label };
}

function called(project: Project, address: Address): string {
  const found = findAt(project, address)!;
  return found.steps.at(-1)!.description.says(found.chain);
}
