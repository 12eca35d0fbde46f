import { readElf } from '../boards/elf';
import { addressOf, coverageReport, type CoveredItem } from '../coverage/report';
import type { Problem } from '../language/diagnostics';
import { listFields } from '../project/address';
import { differences } from '../project/differences';
import { projectFields } from '../project/document';
import type { Entry } from '../project/field';
import { isBinding, setupOf, typeById, type Project, type Requirement, type TestCase } from '../project/project';
import { caseMark } from '../proof/case-mark';
import { inStages, stageCalled, type CaseInStage } from '../proof/choose';
import type { CaseOutcome } from '../proof/run-case';
import { limitOf, showFormula } from '../requirements/read-limit';
import { sourcesOf } from '../stepcode/write-sources';
import type { StageText } from '../stepcode/stage';
import { elementIndex } from '../trace/elements';
import { linkIndex, whyNotSound } from '../trace/links';
import type { RequirementFinding } from '../verdicts/finding';
import { canonical, digestOf } from './digest';
import {
  evidenceFormat,
  evidenceVersion,
  figure,
  type CaseFact,
  type CoverageFact,
  type Facts,
  type JudgedFact,
  type LinkFact,
  type Piece,
  type RequirementFact,
  type TriedFact,
} from './evidence';

/** What is known of a case in a stage. */
export interface KnownOfCase extends CaseInStage {
  readonly outcome: CaseOutcome;
  /** Whether it is of something else than is there now. */
  readonly isStale: boolean;
  /** When it ran (ISO 8601). */
  readonly at: string;
}

export interface EvidenceInput extends Partial<Pick<Facts, 'tools' | 'signed' | 'strength'>> {
  readonly project: Project;
  readonly made: string;
  readonly stages: readonly (StageText | undefined)[];
  readonly known: readonly KnownOfCase[];
  /** What is wrong in the project, and what constants decide. */
  readonly problems: readonly Problem[];
  readonly constants: readonly RequirementFinding[];
  readonly baseline?: { readonly name: string; readonly at: string; readonly project: Project } | undefined;
  readonly images?: readonly { readonly program: string; readonly board: string; readonly elf: Uint8Array }[];
}

/** Everything that was tested, on what and with which outcome; what is out of date counts for nothing. */
export function gather(input: EvidenceInput): Facts {
  const { project, made, stages, known, problems, baseline } = input;
  const asked = stages.length === 0 ? [undefined] : stages;
  const wanted = asked.flatMap((stage) => inStages(project.cases, stage === undefined ? [] : [stage]));
  const fresh = known.filter((k) => !k.isStale && wanted.some((w) => w.of.id === k.of.id && w.stage === k.stage));
  const report = coverageReport(
    project,
    fresh.flatMap(({ of, outcome }) => (outcome.came ? [{ of, came: outcome.came }] : [])),
    problems,
  );
  return {
    format: evidenceFormat,
    version: evidenceVersion,
    made,
    project: {
      ...{ id: project.id, name: project.name, note: project.note, format: project.version },
      sha256: digestOfProject(project),
    },
    baseline: baseline
      ? {
          name: baseline.name,
          at: baseline.at,
          sha256: digestOfProject(baseline.project),
          differences: differences(project, baseline.project).length,
        }
      : null,
    tools: input.tools ?? [],
    pieces: piecesOf(project),
    code: codeOf(project),
    images: (input.images ?? []).map(({ program, board, elf }) => ({ program, board, ...digestOfImage(elf) })),
    stages: asked.map(stageCalled),
    requirements: project.requirements.filter(isBinding).map((r) => requirementFact(project, r, input.constants)),
    links: linkFacts(project),
    cases: project.cases.map((of) =>
      caseFact(
        project,
        of,
        wanted.filter((w) => w.of.id === of.id),
        known,
      ),
    ),
    coverage: report.types.map((t) => ({
      type: t.name,
      covered: t.covered,
      wanted: t.wanted,
      items: t.items.map((i) => coverageFact(project, i)),
    })),
    suspicious: report.suspicious.map(({ key, message }) => ({ key, message })),
    strength: input.strength ?? null,
    problems: problems
      .filter((p) => p.severity !== 'info')
      .map((p) => ({ severity: p.severity, where: labelOf(project, p.place ?? ''), message: p.message })),
    signed: input.signed ?? [],
  };
}

/** Two copies of one document may be kept under two ids. */
export const digestOfProject = (project: Project): string => {
  const { id: _, ...content } = project;
  return digestOf(canonical(content));
};

/** Every entry of the lists of a document, and what stands in none of them. */
export function piecesOf(project: Project): readonly Piece[] {
  const lists = [...listFields(projectFields).values()];
  const inLists = new Set(lists.map((l) => l.key));
  const rest = Object.fromEntries(Object.entries(project).filter(([key]) => key !== 'id' && !inLists.has(key)));
  return [
    { address: '', label: 'the project itself', sha256: digestOf(canonical(rest)) },
    ...lists.flatMap(({ key, description }) =>
      (project[key as keyof Project] as unknown as readonly Entry[]).map((entry): Piece => ({
        address: `${description.kind}/${entry.id}`,
        label: `${description.word} ${description.label([entry])}`,
        sha256: digestOf(canonical(entry)),
      })),
    ),
  ];
}

/** What is generated for part types that go in steps. */
export const codeOf = (project: Project): Facts['code'] =>
  project.types
    .filter((t) => t.software.trim() !== '')
    .map((t) => {
      const { value, problems } = sourcesOf(project, t);
      return {
        type: t.name,
        files: [...(value?.files ?? [])].map(([name, text]) => ({
          name,
          bytes: new TextEncoder().encode(text).length,
          sha256: digestOf(text),
        })),
        why: value
          ? ''
          : (problems.find((p) => p.severity === 'error') ?? problems[0])?.message || 'It cannot be written',
      };
    });

/** What a chip is loaded with: its bytes with their addresses, without names and notes for people. */
export function digestOfImage(elf: Uint8Array): { readonly bytes: number; readonly sha256: string } {
  const image = readElf(elf);
  if (typeof image === 'string') return { bytes: elf.length, sha256: digestOf(elf) };
  const loaded = [...image.segments].sort((a, b) => a.address - b.address);
  return {
    bytes: loaded.reduce((n, s) => n + s.bytes.length, 0),
    sha256: digestOf(loaded.map((s) => `${s.address} ${digestOf(s.bytes)}`).join('\n')),
  };
}

/** How people call what is at an address, or what it stands in. */
function labelOf(project: Project, address: string): string {
  const { byAddress } = elementIndex(project);
  for (let at = address; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('/')))) {
    const found = byAddress.get(at);
    if (found) return `${found.kind} ${found.label}`;
  }
  return '';
}

function requirementFact(project: Project, r: Requirement, constants: readonly RequirementFinding[]): RequirementFact {
  const limit = limitOf(r, project.glossary);
  const decided = constants.find((f) => f.id === r.id);
  const { source: s, observation: o } = r;
  return {
    id: r.id,
    key: r.key,
    text: r.text,
    formula: limit.formula === undefined ? '' : showFormula(limit.formula),
    source: s
      ? [s.file, s.sheet === s.file ? '' : s.sheet, s.cell || (s.row > 0 ? `row ${s.row}` : '')]
          .filter(Boolean)
          .join(', ')
      : '',
    observation: o ? { verdict: o.verdict, by: o.by, on: o.on, note: o.note, isOfThis: o.text === r.text } : null,
    constants: decided ? without(judgedFact(decided)) : null,
  };
}
const without = ({ requirement: _, ...rest }: JudgedFact): Omit<JudgedFact, 'requirement'> => rest;

const judgedFact = (f: RequirementFinding): JudgedFact => ({
  requirement: f.id,
  verdict: f.verdict,
  margin: figure(f.margin),
  unit: f.unit,
  worstAt: figure(f.worstAt),
  failsSince: figure(f.failsSince),
  reason: f.reason,
});

const linkFacts = (project: Project): readonly LinkFact[] =>
  linkIndex(project).all.map((l) => ({
    requirement: l.link.requirement,
    element: l.link.element,
    label: l.element?.label ?? '',
    kind: l.element?.kind ?? '',
    state: l.state,
    why: whyNotSound(l),
  }));

function caseFact(
  project: Project,
  of: TestCase,
  wanted: readonly CaseInStage[],
  known: readonly KnownOfCase[],
): CaseFact {
  const setup = setupOf(project, of);
  const alone = of.alone === '' ? undefined : typeById(project, of.alone);
  const type = typeById(project, of.alone || setup?.root || project.root);
  return {
    id: of.id,
    name: of.name,
    note: of.note,
    tags: of.tags,
    tries: of.alone === '' ? `setup ${setup?.name ?? '(gone)'}` : `${alone?.name ?? '(gone)'} alone`,
    script: of.script,
    sequences: of.sequences.map((id) => type?.sequences.find((s) => s.id === id)?.name ?? '(gone)'),
    columns: of.vectors.length,
    rows: of.rows.length,
    mark: caseMark(project, of),
    tried: wanted.map(({ stage }) =>
      triedFact(
        stage,
        known.find((k) => k.of.id === of.id && k.stage === stage),
      ),
    ),
  };
}

function triedFact(stage: StageText | undefined, known: KnownOfCase | undefined): TriedFact {
  const none = { isBeside: false, failedAt: null, time: null, worst: null, judged: [] };
  if (!known) return { stage: stageCalled(stage), verdict: 'never run', why: '', at: '', ...none };
  const { outcome, at } = known;
  if (known.isStale)
    return {
      stage: stageCalled(stage),
      verdict: 'out of date',
      why: `it had ${outcome.verdict === 'not run' ? 'not run' : outcome.verdict} before something it rests on was changed`,
      at,
      ...none,
    };
  const { worst } = outcome;
  return {
    stage: stageCalled(stage),
    verdict: outcome.verdict,
    why: outcome.why,
    isBeside: outcome.isBeside ?? false,
    failedAt: figure(outcome.failedAt),
    time: figure(outcome.time),
    at,
    worst: worst
      ? {
          target: worst.target,
          unit: worst.unit,
          time: figure(worst.time),
          value: figure(worst.value),
          expected: figure(worst.expected),
          within: figure(worst.within),
        }
      : null,
    judged: outcome.findings.map(judgedFact),
  };
}

function coverageFact(project: Project, { item, by, gap, why, excuse }: CoveredItem): CoverageFact {
  const element = addressOf(item);
  return {
    kind: item.kind,
    element,
    label: labelOf(project, element),
    text: item.text,
    cases: by.map((c) => c.id),
    shownBy: item.pair ? `${item.pair.by}: ${item.pair.words.join(' and ')}` : '',
    gap: gap ?? '',
    why,
    excuse: excuse ? { kind: excuse.kind, reason: excuse.reason, by: excuse.by, on: excuse.on } : null,
  };
}
