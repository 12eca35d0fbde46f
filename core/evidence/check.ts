import { unzipSync } from 'fflate';
import { counted } from '../formats/report-html';
import type { Project } from '../project/project';
import { caseMark } from '../proof/case-mark';
import { recordFormat, recordName, type BuildRecord } from './build-record';
import { conclude } from './conclude';
import { digestOf } from './digest';
import { evidenceFormat, evidenceVersion, type Evidence, type Facts, type FileDigest } from './evidence';
import { codeOf, digestOfProject, piecesOf } from './gather';
import { wrongIn } from './shape';
import { dataInHtml, writeHtml } from './write-html';
import { dataSheet, readWorkbook, sheetsOf } from './write-xlsx';

/** Something that was looked at. `open`: it could not be looked at, or is for people to judge. */
export interface Checked {
  readonly kind: 'right' | 'wrong' | 'open';
  readonly text: string;
  /** Each thing of it. */
  readonly details: readonly string[];
}
const checked = (kind: Checked['kind'], text: string, details: readonly string[] = []): Checked => ({
  kind,
  text,
  details,
});

type Form = 'JSON' | 'HTML' | 'XLSX' | 'build record';

export type ReadEvidence =
  | {
      readonly evidence: Evidence;
      readonly form: Form;
      /** What of the file itself is not as it was written. */
      readonly checks: readonly Checked[];
      readonly problem?: undefined;
    }
  | { readonly evidence?: undefined; readonly problem: string };

const refused = (problem: string): ReadEvidence => ({ problem });

/** Reads evidence in any of its forms, and looks whether it is as it was written. Never throws. */
export async function readEvidence(bytes: Uint8Array): Promise<ReadEvidence> {
  if (bytes.length === 0) return refused('The file is empty');
  if (bytes[0] === 0x50 && bytes[1] === 0x4b) {
    const files = recordFiles(bytes);
    if (files) return readRecord(files);
    const { data, sheets, problem } = await readWorkbook(bytes);
    if (problem !== '') return refused(problem);
    if (data === undefined)
      return refused(`This workbook is no evidence: it has no sheet "${dataSheet}" that its figures were written from`);
    const read = readText(data, 'XLSX');
    return read.problem === undefined
      ? { ...read, checks: [...read.checks, shownInSheets(read.evidence, sheets)] }
      : read;
  }
  const text = new TextDecoder().decode(bytes).replace(/^\uFEFF/, '');
  if (/^\s*<(!doctype|html)/i.test(text)) {
    const data = dataInHtml(text);
    if (data === undefined)
      return refused(
        text.includes('</html>')
          ? 'This page is no evidence: the data that its figures were written from is not in it'
          : 'This page was cut short: the data that its figures were written from is not in it',
      );
    const read = readText(data, 'HTML');
    return read.problem === undefined ? { ...read, checks: [...read.checks, shownInPage(read.evidence, text)] } : read;
  }
  if (!text.trimStart().startsWith('{'))
    return refused('This is no evidence: neither JSON, nor a page, nor a workbook');
  return readText(text, 'JSON');
}

function readText(text: string, form: Form): ReadEvidence {
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch {
    return refused('The file is damaged or was cut short: its data stops making sense');
  }
  const head = (data ?? {}) as { readonly format?: unknown; readonly version?: unknown };
  if (head.format !== evidenceFormat) return refused('This is no evidence of Zelvar');
  if (typeof head.version !== 'number') return refused('The file does not say which version of its form it has');
  if (head.version > evidenceVersion)
    return refused(
      `This evidence was written by a newer Zelvar (form ${head.version}; this one reads up to ${evidenceVersion})`,
    );
  const wrong = wrongIn(data);
  if (wrong !== '') return refused(`The file is damaged: ${wrong}`);
  const evidence = data as Evidence;
  const { sha256, ...whole } = evidence;
  const { conclusion, ...facts } = whole;
  const found = digestOf(JSON.stringify(whole));
  const own = conclude(facts as Facts);
  return {
    evidence,
    form,
    checks: [
      found === sha256
        ? checked('right', 'The data is as it was written')
        : checked('wrong', 'The data was changed after it was written', [`its digest is ${found}, it says ${sha256}`]),
      JSON.stringify(own) === JSON.stringify(conclusion)
        ? checked('right', 'What it concludes follows from its facts')
        : checked('wrong', 'What it concludes does not follow from its facts', otherThan(own, conclusion)),
    ],
  };
}

/** What is in the file of a build record; undefined where it is none. */
function recordFiles(bytes: Uint8Array): Readonly<Record<string, Uint8Array>> | undefined {
  try {
    const head = unzipSync(bytes, { filter: (f) => f.name === recordName });
    return head[recordName] ? unzipSync(bytes, { filter: (f) => f.originalSize < mostBytes }) : undefined;
  } catch {
    return undefined;
  }
}
const mostBytes = 400_000_000;

function readRecord(files: Readonly<Record<string, Uint8Array>>): ReadEvidence {
  let record: Partial<BuildRecord>;
  try {
    record = (JSON.parse(new TextDecoder().decode(files[recordName])) ?? {}) as Partial<BuildRecord>;
  } catch {
    return refused('The build record is damaged: what it says stops making sense');
  }
  if (record.format !== recordFormat) return refused('This is no build record of Zelvar');
  if (record.version !== 1) return refused('This build record was written by a newer Zelvar');
  const isFile = (f: unknown): boolean => typeof (f as Partial<FileDigest> | null)?.name === 'string';
  if (!Array.isArray(record.files) || !record.files.every(isFile))
    return refused('The build record is damaged: it does not say what belongs to it');
  const said = new Map(record.files.map((f) => [f.name, f]));
  const wrong = [
    ...record.files.flatMap((f) =>
      !files[f.name] ? [`${f.name} is missing`] : digestOf(files[f.name]) === f.sha256 ? [] : [`${f.name} is another`],
    ),
    ...Object.keys(files).flatMap((name) => (said.has(name) || name === recordName ? [] : [`${name} was added`])),
  ];
  const name = [...said.keys()].find((n) => n.startsWith('evidence/') && n.endsWith('.json'));
  if (name === undefined || !files[name]) {
    const why = Array.isArray(record.why) ? record.why.join('; ') : '';
    return refused(`There is no evidence in this build record${why && `: ${String(record.verdict)}, ${why}`}`);
  }
  const read = readText(new TextDecoder().decode(files[name]), 'JSON');
  if (read.problem !== undefined) return read;
  return {
    evidence: read.evidence,
    form: 'build record',
    checks: [
      wrong.length === 0
        ? checked('right', `Everything that belongs to the record is there as it was: ${counted(said.size, 'file')}`)
        : checked('wrong', 'What belongs to the record is not as it was', wrong),
      ...read.checks,
    ],
  };
}

/** In which fields two conclusions differ. */
const otherThan = (own: Evidence['conclusion'], said: Evidence['conclusion']): readonly string[] =>
  (Object.keys(own) as (keyof Evidence['conclusion'])[])
    .filter((key) => JSON.stringify(own[key]) !== JSON.stringify(said[key]))
    .map((key) =>
      typeof own[key] === 'number'
        ? `${key}: it says ${String(said[key])}, ${String(own[key])} follows`
        : `${key} differ`,
    );

const asWritten = checked('right', 'What it shows is what its data says');

function shownInPage(evidence: Evidence, text: string): Checked {
  const [own, shown] = [writeHtml(evidence), text].map((t) => t.replaceAll('\r\n', '\n').split('\n'));
  if (own.join('\n') === shown.join('\n')) return asWritten;
  const other = shown.flatMap((line, k) => (line === own[k] ? [] : [`line ${k + 1}: ${short(line)}`]));
  return checked('wrong', 'What it shows is not what its data says', [
    ...other.slice(0, 10),
    ...(other.length > 10 ? [`and ${other.length - 10} more lines`] : []),
    ...(other.length === 0 ? ['lines are missing'] : []),
  ]);
}

function shownInSheets(
  evidence: Evidence,
  sheets: readonly { readonly name: string; readonly rows: readonly (readonly string[])[] }[],
): Checked {
  const wrong: string[] = [];
  const wanted = sheetsOf(evidence).filter((s) => !s.isHidden);
  for (const s of wanted) {
    const there = sheets.find((t) => t.name === s.name.slice(0, 31));
    if (!there) {
      wrong.push(`the sheet ${s.name} is missing`);
      continue;
    }
    for (let r = 0; r < Math.max(s.rows.length, there.rows.length); r++) {
      const [a, b] = [s.rows[r] ?? [], there.rows[r] ?? []];
      for (let c = 0; c < Math.max(a.length, b.length); c++)
        if ((a[c] ?? '').trim() !== (b[c] ?? ''))
          wrong.push(`${s.name}, row ${r + 1}, column ${c + 1}: ${short(b[c] ?? '')}`);
    }
  }
  for (const s of sheets)
    if (!wanted.some((w) => w.name.slice(0, 31) === s.name)) wrong.push(`the sheet ${s.name} was added`);
  return wrong.length === 0
    ? asWritten
    : checked('wrong', 'What it shows is not what its data says', [
        ...wrong.slice(0, 10),
        ...(wrong.length > 10 ? [`and ${wrong.length - 10} more`] : []),
      ]);
}

const short = (text: string): string => {
  const plain = text
    .replace(/<[^>]*>/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();
  return plain.length > 120 ? `${plain.slice(0, 119)}…` : plain || '(empty)';
};

/** Digests of images that a compiler has made just now, by program and board; a text where it could not. */
export type Rebuild = (program: string, board: string) => { readonly sha256: string } | string;

/** Whether evidence is of a project as it is, and what is not. */
export function fitsProject(e: Evidence, project: Project, rebuild?: Rebuild): readonly Checked[] {
  return [
    ofProject(e, project),
    ofCode(e, project),
    ofOutcomes(e, project),
    ...(e.images.length > 0 ? [ofImages(e, rebuild)] : []),
  ];
}

function ofProject(e: Evidence, project: Project): Checked {
  if (digestOfProject(project) === e.project.sha256) return checked('right', 'It is of this project, as it is');
  const now = new Map(piecesOf(project).map((p) => [p.address, p]));
  const then = new Map(e.pieces.map((p) => [p.address, p]));
  const details = [
    ...e.pieces.flatMap((p) => {
      const other = now.get(p.address);
      return !other ? [`${p.label} is not there any more`] : other.sha256 === p.sha256 ? [] : [`${p.label} is another`];
    }),
    ...[...now.values()].flatMap((p) => (then.has(p.address) ? [] : [`${p.label} was added`])),
    ...(project.version === e.project.format
      ? []
      : [`the form of project files was ${e.project.format} then, and is ${project.version} now`]),
  ];
  const isOther = e.project.id !== project.id && e.project.name !== project.name;
  return checked(
    'wrong',
    isOther
      ? `It is of another project: ${e.project.name}`
      : `It is of another state of this project: ${counted(details.length, 'piece')} differ`.replace(
          'piece differ',
          'piece differs',
        ),
    isOther ? [] : details,
  );
}

function ofCode(e: Evidence, project: Project): Checked {
  const now = codeOf(project);
  const details = e.code.flatMap((c) => {
    const own = now.find((n) => n.type === c.type);
    if (!own) return [`there is no code of ${c.type}`];
    return c.files.flatMap((f) => {
      const other = own.files.find((o) => o.name === f.name);
      return !other ? [`${f.name} is not written any more`] : other.sha256 === f.sha256 ? [] : [`${f.name} is another`];
    });
  });
  const files = e.code.reduce((n, c) => n + c.files.length, 0);
  return details.length === 0
    ? checked('right', `Code is generated as it was: ${counted(files, 'file')}`)
    : checked('wrong', 'Other code is generated now', details);
}

function ofOutcomes(e: Evidence, project: Project): Checked {
  const gone: string[] = [];
  for (const c of e.cases) {
    const own = project.cases.find((p) => p.id === c.id);
    if (!own) gone.push(`${c.name} is not there any more`);
    else if (caseMark(project, own) !== c.mark) gone.push(`${c.name}: what it rests on is another`);
  }
  const added = project.cases.filter((p) => !e.cases.some((c) => c.id === p.id)).map((p) => `${p.name} was added`);
  return gone.length + added.length === 0
    ? checked('right', `Every outcome is of what is there now: ${counted(e.cases.length, 'test case')}`)
    : checked('wrong', 'Outcomes are of something else than is there now', [...gone, ...added]);
}

function ofImages(e: Evidence, rebuild: Rebuild | undefined): Checked {
  if (!rebuild) return checked('open', 'Images were not built again');
  const [wrong, not]: [string[], string[]] = [[], []];
  for (const i of e.images) {
    const made = rebuild(i.program, i.board);
    const name = `${i.program} for ${i.board}`;
    if (typeof made === 'string') not.push(`${name}: ${made}`);
    else if (made.sha256 !== i.sha256) wrong.push(`${name} is another image; the compiler may be another one`);
  }
  return wrong.length > 0
    ? checked('wrong', 'Other images are built now', [...wrong, ...not])
    : not.length > 0
      ? checked('open', 'Not all images could be built again', not)
      : checked('right', `Images are built as they were: ${e.images.length}`);
}
