import type { Project } from '@/core/project/project';
import { allParts, partTree } from './derived';
import { usePlace, type Location } from './place-store';
import { useProject } from './project-store';
import { useRuns } from './run-store';

/** Where an address of the document is in the application: that of a problem, or of an element a trace link leads to. */
export function locate(project: Project, address: string | undefined): Partial<Location> {
  const [kind, id, list, itemId, inner, innerId] = (address ?? '').split('/');
  if (kind === 'requirement') return { area: 'needs', sheet: '', item: `requirement/${id}` };
  if (kind === 'glossary') return { area: 'needs', sheet: 'glossary', item: `glossary/${id}` };
  if (kind === 'flow') return { area: 'needs', sheet: `flow/${id}`, item: list === 'line' ? `line/${itemId}` : '' };
  if (kind === 'case')
    return { area: 'proof', sheet: `case/${id}`, item: list === 'vector' ? `${list}/${itemId}` : '' };
  if (kind === 'study') return { area: 'bench', sheet: `study/${id}`, item: list ? `${list}/${itemId}` : '' };
  if (kind === 'setup' && list === 'serial') {
    const part = project.setups.find((s) => s.id === id)?.serial[Number(itemId)]?.part ?? '';
    useRuns.getState().chooseSetup(id);
    return { area: 'board', part, type: '', sheet: 'line', item: '' };
  }
  if (kind === 'setup' || kind === 'panel') {
    if (kind === 'setup') useRuns.getState().chooseSetup(id);
    return { area: 'bench' };
  }
  if (kind === 'library' && project.libraries.some((l) => l.id === id))
    return { area: 'physics', sheet: `shared/${id}` };
  if (kind === 'type') {
    const part = allParts(partTree(project)).find((p) => p.type.id === id)?.path ?? '';
    const at = { part, type: id };
    if (list === 'physics') return { ...at, area: 'physics' };
    if (list === 'equation') return { ...at, area: 'physics', item: `equation/${itemId}` };
    if (list === 'software') return { ...at, area: 'board', sheet: '' };
    if (list === 'quantity' && inner === 'number')
      return { ...at, area: 'board', sheet: 'numbers', item: `quantity/${itemId}` };
    if (list === 'channel') return { ...at, area: 'board', sheet: 'pins', item: `channel/${itemId}` };
    if (list === 'sheet')
      return { ...at, area: 'physics', sheet: `relations/${itemId}`, item: inner ? `relation/${innerId}` : '' };
    if (list === 'signals')
      return { ...at, area: 'control', sheet: `signals/${itemId}`, item: inner ? `${inner}/${innerId}` : '' };
    if (list === 'chart' || list === 'procedure' || list === 'sequence')
      return { ...at, area: 'behaviour', sheet: `${list}/${itemId}`, item: inner ? `${inner}/${innerId}` : '' };
    return { ...at, area: 'product', item: list && itemId ? `${list}/${itemId}` : '' };
  }
  return {};
}

/** Goes to whatever has this address. */
export function goTo(address: string): void {
  const { project } = useProject.getState();
  if (project) usePlace.getState().go(locate(project, address));
}

/** Address of what is selected on the sheet at hand; undefined where nothing with an address is. */
export function selectedAddress(project: Project): string | undefined {
  const { area, item, sheet, part, type } = usePlace.getState();
  if (area === 'needs') {
    if (sheet.startsWith('requirement/')) return sheet;
    if (sheet.startsWith('flow/')) return item.startsWith('line/') ? `${sheet}/${item}` : sheet;
    return item === '' ? undefined : item;
  }
  if (area === 'proof') return sheet.startsWith('case/') ? sheet : undefined;
  if (area === 'bench') {
    if (/^(panel|study)\//.test(sheet)) return item === '' ? sheet : `${sheet}/${item}`;
    const { setupId } = useRuns.getState();
    if (!setupId) return undefined;
    return /^(stimulus|change)\//.test(item) ? `setup/${setupId}/${item}` : `setup/${setupId}`;
  }
  if (item.startsWith('item/')) return item;
  const id = type || allParts(partTree(project)).find((p) => p.path === part)?.type.id;
  const owner = id === undefined ? undefined : project.types.find((t) => t.id === id);
  if (!owner) return undefined;
  const at = `type/${owner.id}`;
  if (area === 'behaviour' && /^(procedure|sequence)\//.test(sheet))
    return item.startsWith('line/') ? `${at}/${sheet}/${item}` : `${at}/${sheet}`;
  if (area === 'control') {
    const shown = owner.signals.find((s) => sheet === `signals/${s.id}`) ?? owner.signals[0];
    if (!shown) return at;
    // a wire is what a line uses, and has no address
    if (item !== '' && !item.startsWith('line/')) return undefined;
    return item === '' ? `${at}/signals/${shown.id}` : `${at}/signals/${shown.id}/${item}`;
  }
  if (item === '') return at;
  const [kind, own] = item.split('/');
  if (kind === 'value') {
    const holder =
      owner.charts.find((c) => sheet === `chart/${c.id}`) ??
      owner.charts.find((c) => c.values.some((v) => v.id === own));
    return holder && `${at}/chart/${holder.id}/${item}`;
  }
  if (kind === 'state' || kind === 'transition') {
    const chart =
      owner.charts.find((c) => sheet === `chart/${c.id}`) ??
      owner.charts.find((c) => c.states.some((s) => s.id === own) || c.transitions.some((t) => t.id === own));
    return chart && `${at}/chart/${chart.id}/${item}`;
  }
  if (kind === 'relation') {
    const holder = owner.sheets.find((s) => s.relations.some((r) => r.id === own));
    return holder && `${at}/sheet/${holder.id}/${item}`;
  }
  return `${at}/${item}`;
}

/** Address of what the sheet at hand shows the inside of: what is added or pasted goes there. Empty for the project. */
export function sheetOwner(project: Project): string {
  const { area, sheet, part, type } = usePlace.getState();
  if (area === 'needs') return sheet.startsWith('flow/') ? sheet : '';
  if (area === 'bench') {
    if (/^(panel|study)\//.test(sheet)) return sheet;
    const { setupId } = useRuns.getState();
    const setup = project.setups.find((s) => s.id === setupId) ?? project.setups[0];
    return setup ? `setup/${setup.id}` : '';
  }
  const id = type || allParts(partTree(project)).find((p) => p.path === part)?.type.id;
  const owner = project.types.find((t) => t.id === id);
  if (!owner) return '';
  const at = `type/${owner.id}`;
  if (area === 'physics') {
    const [kind, sheetId] = sheet.split('/');
    const shown = kind === 'relations' ? (owner.sheets.find((s) => s.id === sheetId) ?? owner.sheets[0]) : undefined;
    return shown ? `${at}/sheet/${shown.id}` : at;
  }
  if (area === 'control') {
    const shown = owner.signals.find((s) => sheet === `signals/${s.id}`) ?? owner.signals[0];
    return shown ? `${at}/signals/${shown.id}` : at;
  }
  if (area !== 'behaviour') return at;
  if (/^(procedure|sequence)\//.test(sheet)) return `${at}/${sheet}`;
  const chart = owner.charts.find((c) => sheet === `chart/${c.id}`) ?? owner.charts[0];
  return chart && (sheet === '' || sheet.startsWith('chart/')) ? `${at}/chart/${chart.id}` : at;
}
