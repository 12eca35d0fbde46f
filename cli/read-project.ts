import { readProjectFile } from '../core/formats/project-file';
import { documentTexts } from '../core/project/texts';
import type { PartType, Project, Setup } from '../core/project/project';
import { typeNamed } from './model-text';
import { complain, readBytes } from './output';

/** A project, and what of it a command is about; what cannot be read or is not there has been told. */
export function readProject(file: string, bytes = readBytes(file)): Project | undefined {
  if (!bytes) return undefined;
  const { value, problems } = readProjectFile(bytes);
  for (const p of problems) complain(`zelvar: ${file}: ${p.message}`);
  return value;
}

export function setupNamed(project: Project, name: string): Setup | undefined {
  const setup = project.setups.find((s) => s.name === name);
  if (!setup)
    complain(
      `zelvar: ${project.name} has no setup "${name}"; it has ${project.setups.map((s) => s.name).join(', ') || 'none'}`,
    );
  return setup;
}

/** With a setup: the only one where none is named. */
export function readSetup(
  file: string,
  name: string | undefined,
): { readonly project: Project; readonly setup: Setup } | undefined {
  const project = readProject(file);
  if (!project) return undefined;
  if (name === undefined && project.setups.length !== 1) {
    complain(`zelvar: --setup says which setup is meant: ${project.setups.map((s) => s.name).join(', ') || 'none'}`);
    return undefined;
  }
  const setup = name === undefined ? project.setups[0] : setupNamed(project, name);
  return setup && { project, setup };
}

/** With a part type. */
export function readType(
  file: string,
  name: string,
): { readonly project: Project; readonly type: PartType } | undefined {
  const project = readProject(file);
  const type = project && typeNamed(project, name);
  return project && type && type !== 'none' ? { project, type } : undefined;
}

/** Texts of a project by their address, for positions in messages. */
export function projectTexts(project: Project): (place: string) => { name: string; text: string } | undefined {
  const texts = new Map(documentTexts(project).map((t) => [t.place, t]));
  // of a script texts are its pieces; positions are those in the whole
  for (const c of project.cases) {
    const place = `case/${c.id}/script`;
    const found = texts.get(place);
    texts.set(place, {
      place,
      kind: 'expression',
      scope: '',
      keys: [],
      label: found?.label ?? `test case ${c.name}`,
      text: c.script,
    });
  }
  return (place) => {
    const found = texts.get(place) ?? [...texts.values()].find((t) => t.place.startsWith(`${place}/`));
    return found && { name: found.label, text: texts.has(place) ? found.text : '' };
  };
}
