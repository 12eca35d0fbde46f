import { newControl, typeById, type Control, type PartType, type Project } from '../project/project';

/** The control that suits what is dropped on a panel: a quantity, a message, a state, a chart or a requirement. */
export function proposeControl(project: Project, name: string, id: string, x: number, y: number): Control | undefined {
  const requirement = project.requirements.find((r) => r.key === name);
  if (requirement) return newControl(id, 'verdict', requirement.key, requirement.key, x, y);
  const condition = /^in\((.+)\)$/.exec(name);
  if (condition) return newControl(id, 'lamp', condition[1].split('.').at(-1)!, name, x, y);
  let type: PartType | undefined = typeById(project, project.root);
  const names = name.split('.');
  let k = 0;
  for (; k < names.length - 1 && type; k++) {
    const part: { readonly type: string } | undefined = type.parts.find((p) => p.name === names[k]);
    if (!part) break;
    type = typeById(project, part.type);
  }
  if (!type) return undefined;
  const last = names.slice(k);
  const chart = type.charts.find((c) => c.name === last[0]);
  if (chart)
    return last.length > 1
      ? newControl(id, 'lamp', last.at(-1)!, `in(${name})`, x, y)
      : newControl(id, 'readout', names.at(-2) ?? last[0], name, x, y);
  if (last.length !== 1) return undefined;
  const label = (text: string): string =>
    text
      .replace(/([a-z])([A-Z])/g, '$1 $2')
      .replace(/^./, (c) => c.toUpperCase())
      .replace(/ ([A-Z])/g, (_, c: string) => ` ${c.toLowerCase()}`);
  const quantity = type.quantities.find((q) => q.name === last[0]);
  if (!quantity) {
    const takes =
      type.ports.some((p) => p.accepts.includes(last[0])) ||
      type.charts.some((c) =>
        c.transitions.some((t) => t.triggers.some((g) => g.kind === 'message' && g.on.startsWith(last[0]))),
      );
    return takes ? newControl(id, 'button', label(last[0]), name, x, y) : undefined;
  }
  const limit = (text: string): number | undefined =>
    text.trim() !== '' && Number.isFinite(Number(text)) ? Number(text) : undefined;
  const [min, max] = [limit(quantity.min), limit(quantity.max)];
  const settable = quantity.role === 'input' || quantity.role === 'parameter' || quantity.role === 'constant';
  const kind: Control['kind'] =
    quantity.type === 'Boolean'
      ? settable
        ? 'switch'
        : 'lamp'
      : !settable
        ? 'readout'
        : quantity.role === 'input' && min !== undefined && max !== undefined
          ? 'slider'
          : 'field';
  return {
    ...newControl(id, kind, label(quantity.name), name, x, y),
    unit: quantity.unit === '1' ? '' : quantity.unit,
    min: min ?? 0,
    max: max ?? 1,
  };
}
