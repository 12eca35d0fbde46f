import { applyEdit } from '../../editing/edits';
import type { Address } from '../../project/address';
import { partType } from '../../project/document';
import type { Edit } from '../../project/edit';
import { complaint } from '../../project/field';
import { typeById, type PartType, type Project } from '../../project/project';
import { helperNames } from '../c-helpers';
import { stepProgramOf } from '../controller';
import { ownRegions, takeOut } from '../own-text';
import { writeC } from '../write-c';
import { writtenC } from '../write-sources';
import { changesOf, withChanges, type CChange } from './c-changes';
import { givenBy, keyOf } from './c-keys';
import { readC, type CComplaint, type CFile, type CFunction } from './c-tree';
import { textEdit } from './texts-of';
import { createReader, elementsAt, type Candidate, type Trial, type Written } from './where-it-is-said';

/**
 * What somebody has changed in the C of a controller, as changes of its model. A change is proposed only where the C written anew from the changed model is
 * the C that was read; what is not understood is told at its line.
 */
export interface ReadBack {
  readonly proposals: readonly Proposal[];
  readonly complaints: readonly Complaint[];
}
export interface Proposal {
  /** Lines of the C that was read. */
  readonly lines: readonly { readonly from: number; readonly to: number }[];
  readonly place: Address;
  /** What the text is of. */
  readonly label: string;
  readonly was: string;
  readonly becomes: string;
  readonly edit: Edit;
}
export interface Complaint extends CComplaint {
  /** What the line follows from. */
  readonly element?: Address;
}

/** How many ways to say something in the model are tried for all changes of one text. */
const mostOfAll = 240;

/** `every`: seconds between steps, where the model does not say them. */
export function readBack(project: Project, type: PartType, edited: string, every?: number): ReadBack {
  const start = writtenOf(project, type.id, every);
  if (!start)
    return { proposals: [], complaints: [{ line: 1, message: `${type.name} cannot be put into code as it is` }] };
  const { rest, own, lines } = takeOut(edited);
  const base = readC(takeOut(start.c.source).rest);
  const is = readC(rest);
  if (!isSourceOf(base, is))
    return {
      proposals: [],
      complaints: [{ line: 1, message: `None of the functions of ${type.name} is in this text` }],
    };
  const complaints: Complaint[] = [...is.complaints, ...aroundFunctions(base, is, start, project)];
  const unread = new Set(is.functions.flatMap((f) => (f.body ? [] : [f.name])));
  const accepted: { readonly of: string; readonly change: CChange }[] = [];
  const proposals: Proposal[] = [];
  for (const region of ownRegions) {
    const field = region === 'includes' ? 'ownIncludes' : 'ownFunctions';
    const [was, becomes, place] = [type[field], own[region], `type/${type.id}/${field}`];
    if (becomes === undefined)
      complaints.push({
        line: 1,
        message: `The marks of the own ${region} are not there as they were written, each once: what the model has of them stays`,
      });
    else if (becomes !== was) {
      const wrong = complaint(partType.fields[field].schema, becomes, `Own ${region}`);
      if (wrong === undefined)
        proposals.push({
          lines: [lines[region]],
          place,
          label: `own ${region} of ${type.name}`,
          was,
          becomes,
          edit: textEdit(project, place, becomes)!,
        });
      else complaints.push({ line: lines[region].from, message: wrong });
    }
  }
  let left = mostOfAll;
  let now = proposals.reduce((p, { edit }) => applyEdit(p, edit).project, project);
  for (const f of base.functions) {
    const g = is.functions.find((x) => x.name === f.name);
    if (!g?.body || !f.body || unread.has(f.name)) continue;
    for (const change of changesOf(f.body, g.body)) {
      const line = lineOf(change);
      const reader = createReader(now, type, start, f, change);
      if (helperNames.includes(f.name)) {
        complaints.push({ line, message: `${f.name} is the same in all code that is written, and is written anew` });
        continue;
      }
      const expected = keysOf(base.functions, [...accepted, { of: f.name, change }]);
      const found = reader.find((candidate) =>
        left-- > 0
          ? tried(candidate, now, type.id, expected, every)
          : {
              why: 'There are too many changes to look at this one as well: what is found so far can be taken over first',
            },
      );
      if ('why' in found) {
        complaints.push({ line, message: found.why, ...(reader.element !== '' && { element: reader.element }) });
        continue;
      }
      accepted.push({ of: f.name, change });
      now = found.project;
      const { text, becomes } = found.candidate;
      const own = { from: line, to: Math.max(line, ...spanOf(change)) };
      const known = proposals.findIndex((p) => p.place === text.place);
      const was = known < 0 ? text.text : proposals[known].was;
      const edit = textEdit(project, text.place, becomes)!;
      const next: Proposal = {
        lines: [...(known < 0 ? [] : proposals[known].lines.filter((l) => l.from !== own.from)), own],
        place: text.place,
        label: text.label,
        was,
        becomes,
        edit,
      };
      if (known < 0) proposals.push(next);
      else proposals[known] = next;
    }
  }
  complaints.sort((a, b) => a.line - b.line);
  proposals.sort((a, b) => a.lines[0].from - b.lines[0].from);
  const isFirst = (c: Complaint, k: number): boolean =>
    complaints.findIndex((d) => d.line === c.line && d.message === c.message) === k;
  return { proposals: proposals.filter((p) => p.was !== p.becomes), complaints: complaints.filter(isFirst) };
}

function writtenOf(project: Project, typeId: string, every?: number): Written | undefined {
  const type = typeById(project, typeId);
  const program = type && stepProgramOf(project, type, every).program;
  return program && { program, c: writtenC(project, type, program) };
}

/** What each function does, by name; those that only give a value stand where they are called. */
function keysOf(
  functions: readonly CFunction[],
  changes: readonly { readonly of: string; readonly change: CChange }[] = [],
): ReadonlyMap<string, string> {
  const changed = functions.map((f) => {
    const own = changes.filter((c) => c.of === f.name).map((c) => c.change);
    return f.body && own.length > 0 ? { ...f, body: withChanges(f.body, own) } : f;
  });
  const own = changed.filter((f) => !helperNames.includes(f.name));
  const values = givenBy(own);
  return new Map(own.flatMap((f) => (f.body && !values.has(f.name) ? [[f.name, keyOf(f.body, values)] as const] : [])));
}
const areSame = (a: ReadonlyMap<string, string>, b: ReadonlyMap<string, string>): boolean =>
  a.size === b.size && [...a].every(([name, key]) => b.get(name) === key);

const lineOf = ({ is, was, run }: CChange): number =>
  run ? (run.come[0]?.from ?? is.parts[run.at]?.from ?? is.to) : Math.max(1, is.from || was.from);
const spanOf = ({ is, run }: CChange): readonly number[] => (run ? run.come.map((x) => x.to) : [is.to]);

/** Whether a text can be what has become of a source. */
export const mayBeFrom = (source: string, text: string): boolean =>
  isSourceOf(readC(takeOut(source).rest), readC(takeOut(text).rest));
/** Something else would be told to lack everything. */
const isSourceOf = (base: CFile, is: CFile): boolean =>
  base.functions.some((f) => !helperNames.includes(f.name) && is.functions.some((g) => g.name === f.name));

// --- what stands around functions

function aroundFunctions(base: CFile, is: CFile, { c }: Written, project: Project): readonly Complaint[] {
  const found: Complaint[] = [];
  const count = (rows: readonly { readonly text: string }[]): Map<string, number> => {
    const all = new Map<string, number>();
    for (const { text } of rows) all.set(text, (all.get(text) ?? 0) + 1);
    return all;
  };
  const fresh = (
    was: readonly { readonly text: string }[],
    rows: readonly { readonly line: number; readonly text: string }[],
  ): readonly { readonly line: number; readonly text: string }[] => {
    const left = count(was);
    return rows.filter(({ text }) => {
      const n = left.get(text) ?? 0;
      left.set(text, n - 1);
      return n <= 0;
    });
  };
  for (const { line } of fresh(base.outside, is.outside))
    found.push({ line, message: 'This stands outside of what is written: it is kept in the regions for own text' });
  for (const { text } of fresh(is.outside, base.outside))
    found.push({ line: 1, message: `"${text}" is gone, and is written anew` });
  for (const { line } of fresh(base.comments, is.comments))
    found.push({ line, message: 'This comment is not kept: it belongs into a note in the model' });
  const names = new Set(is.functions.map((f) => f.name));
  for (const f of base.functions)
    if (!names.has(f.name)) {
      const element = elementsAt(c, f.from, f.to, project)[0] ?? '';
      const next = base.functions.slice(base.functions.indexOf(f) + 1).find((x) => names.has(x.name));
      const line = is.functions.find((x) => x.name === next?.name)?.from ?? 1;
      found.push({
        line,
        message: `${f.name} is gone: it is written for what is in the model`,
        ...(element !== '' && { element }),
      });
    }
  const known = new Set(base.functions.map((f) => f.name));
  for (const f of is.functions)
    if (!known.has(f.name))
      found.push({
        line: f.from,
        message: `${f.name} is a function of its own: it is kept in the region for own functions`,
      });
  return found;
}

// --- one change

/** The project with a text changed, if the C that is written of it is the one that was read. */
function tried(
  { text, becomes }: Candidate,
  project: Project,
  typeId: string,
  expected: ReadonlyMap<string, string>,
  every: number | undefined,
): Trial {
  const edit = textEdit(project, text.place, becomes);
  const { project: next, refused } = edit ? applyEdit(project, edit) : { project, refused: undefined };
  if (!edit || refused) return { why: refused?.message ?? 'The text is no longer there' };
  const type = typeById(next, typeId)!;
  const { program, problems } = stepProgramOf(next, type, every);
  const wrong = problems.find((p) => p.severity === 'error');
  if (!program || wrong)
    return { why: `In the model this would be wrong: ${wrong?.message ?? 'it cannot be put into code'}` };
  const keys = keysOf(readC(writeC(program).source).functions);
  return areSame(keys, expected) ? { project: next } : { why: '' };
}
