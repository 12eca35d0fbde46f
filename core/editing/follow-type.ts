import { createNames } from '../flatten/names';
import type { Address } from '../project/address';
import type { Control, ControlKind, Project, Quantity } from '../project/document';
import { namesInPath } from './references';

/** What a control of a kind becomes when what it is for is a number, or true or false. */
const forNumbers: Partial<Record<ControlKind, ControlKind>> = { switch: 'field', lamp: 'readout' };
const forConditions: Partial<Record<ControlKind, ControlKind>> = {
  slider: 'switch',
  field: 'switch',
  knob: 'switch',
  readout: 'lamp',
  dial: 'lamp',
  level: 'lamp',
  chart: 'lamp',
};

export interface ControlChange {
  readonly panel: string;
  readonly id: string;
  readonly kind: ControlKind;
}

/** Controls that no longer suit a quantity whose type has changed, with the kind that does. A condition of a lamp stays one. */
export function controlsToFollow(
  project: Project,
  quantity: Address,
  type: Quantity['type'],
): readonly ControlChange[] {
  const becomes = type === 'Boolean' ? forConditions : forNumbers;
  const root = project.types.find((t) => t.id === project.root);
  if (!root) return [];
  const names = createNames(project);
  const ref = names.classOf(root.id);
  const isFor = (c: Control): boolean => {
    const path = namesInPath(c.target);
    return (
      ref !== undefined &&
      path.length > 0 &&
      names.path(ref, path).at(-1)?.address === quantity &&
      names.path(ref, path).length === path.length
    );
  };
  return project.panels.flatMap((p) =>
    p.controls.flatMap((c) => {
      const kind = becomes[c.kind];
      return kind !== undefined && isFor(c) ? [{ panel: p.id, id: c.id, kind }] : [];
    }),
  );
}
