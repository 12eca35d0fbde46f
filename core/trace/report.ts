import { anchorOf as anchor, counted, numberText as number, reportStyle } from '../formats/report-html';
import { escapeXml as x } from '../formats/xml';
import { isBinding, type Project, type Requirement } from '../project/project';
import { explainFormula } from '../requirements/explain';
import { limitOf, showFormula } from '../requirements/read-limit';
import type { Standing } from '../run/standing';
import { completeness, gapWords, type GapKind } from './completeness';
import { elementIndex, elementKinds, type TraceElement } from './elements';
import { linkIndex, whyNotSound, type CheckedLink } from './links';
import { traceMatrix } from './matrix';

/** A run the report rests on. */
export interface ReportRun {
  readonly setup: string;
  readonly changes: string;
  /** When, as people write it. */
  readonly at: string;
  readonly holds: number;
  readonly fails: number;
  readonly undecided: number;
}

export interface ReportInput {
  readonly project: Project;
  readonly standings: ReadonlyMap<string, Standing>;
  readonly runs: readonly ReportRun[];
  /** When the report is made, as people write it. */
  readonly made: string;
  readonly dark?: boolean;
}

export interface ReportPiece {
  readonly html: string;
  /** Share of the report that is done, 0 to 1. */
  readonly progress: number;
}

const widestMatrix = 80;
/** A link inside the report that an application can also follow to the element itself. */
const jump = (e: Pick<TraceElement, 'address' | 'label'>): string =>
  `<a href="#${anchor(e.address)}" data-address="${x(e.address)}">${x(e.label)}</a>`;

const sumOver = <T>(all: readonly T[], of: (x: T) => number): number => all.reduce((n, x) => n + of(x), 0);

const verdictWords = { holds: '✓ holds', fails: '✗ fails', undecided: '○ undecided' } as const;

/** The whole report as one self-contained HTML file, piece by piece so that large ones can show how far they are. */
export function* reportPieces({ project, standings, runs, made, dark }: ReportInput): Generator<ReportPiece> {
  const links = linkIndex(project);
  const complete = completeness(project);
  const elements = elementIndex(project);
  const binding = project.requirements.filter(isBinding);
  const verdicts = { holds: 0, fails: 0, undecided: 0, none: 0 };
  for (const r of binding) verdicts[standings.get(r.id)?.finding?.verdict ?? 'none']++;
  const linkedElements = elements.all
    .filter((e) => links.ofElement.has(e.address))
    .sort((a, b) => elementKinds.indexOf(a.kind) - elementKinds.indexOf(b.kind));
  const total = project.requirements.length * 2 + linkedElements.length + 1;
  let done = 0;
  const piece = (html: string, steps: number): ReportPiece => {
    done += steps;
    return { html, progress: Math.min(1, done / total) };
  };
  yield piece(
    `<!doctype html><html lang="en"${dark ? ' class="dark"' : ''}><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${x(project.name)}: requirements report</title><style>${reportStyle}</style></head><body><main>
<h1>${x(project.name)}</h1><p class="quiet">Requirements report, made ${x(made)}. ${x(project.note)}</p>
<nav><a href="#summary">Summary</a> <a href="#requirements">Requirements</a> <a href="#elements">Elements</a> <a href="#matrix">Matrix</a> <a href="#gaps">Gaps</a> <a href="#runs">Runs</a></nav>
<section id="summary"><h2>Summary</h2><table class="facts">
<tr><th>Requirements</th><td>${binding.length}${project.requirements.length > binding.length ? `, and ${counted(project.requirements.length - binding.length, 'heading or remark', 'headings and remarks')}` : ''}</td></tr>
<tr><th>Verdicts</th><td>${verdicts.holds} hold, ${verdicts.fails} fail, ${verdicts.undecided} undecided, ${verdicts.none} not run</td></tr>
<tr><th>Product</th><td>${counted(project.types.length, 'part type')}, ${counted(
      sumOver(project.types, (t) => t.quantities.length),
      'quantity',
      'quantities',
    )}, ${counted(
      sumOver(project.types, (t) => sumOver(t.charts, (c) => c.states.length)),
      'state',
    )}</td></tr>
<tr><th>Use flows</th><td>${project.flows.length}</td></tr>
<tr><th>Trace links</th><td>${links.all.length}: ${links.suspect.length} to look at again, ${links.broken.length} leading nowhere</td></tr>
<tr><th>Completeness</th><td>${complete.of === 0 ? 'nothing to trace yet' : `${complete.done} of ${complete.of} (${Math.floor((100 * complete.done) / complete.of)} %)`}</td></tr>
</table></section><section id="requirements"><h2>Requirements</h2>`,
    1,
  );
  const depth = depths(project.requirements);
  for (let k = 0; k < project.requirements.length; k += 100) {
    const some = project.requirements.slice(k, k + 100);
    yield piece(
      some
        .map((r) =>
          requirementHtml(project, r, standings.get(r.id), links.ofRequirement.get(r.id) ?? [], depth.get(r.id) ?? 0),
        )
        .join(''),
      some.length,
    );
  }
  yield piece('</section><section id="elements"><h2>Elements and the requirements they are linked to</h2>', 0);
  for (let k = 0; k < linkedElements.length; k += 200) {
    const some = linkedElements.slice(k, k + 200);
    yield piece(
      some
        .map(
          (e) =>
            `<article id="${anchor(e.address)}"><h3><a data-address="${x(e.address)}" href="#${anchor(e.address)}">${x(e.label)}</a> <small>${x(e.kind)}</small></h3><ul>${(links.ofElement.get(e.address) ?? []).map((l) => `<li>${l.requirement ? jump(l.requirement) : '(gone)'}${stateMark(l)}</li>`).join('')}</ul></article>`,
        )
        .join(''),
      some.length,
    );
  }
  if (linkedElements.length === 0) yield piece('<p class="quiet">No element is linked to a requirement yet.</p>', 0);
  const matrix = traceMatrix(project, { requirements: '', elements: '', kinds: elementKinds, show: 'linked' });
  yield piece('</section><section id="matrix"><h2>Matrix</h2>', 0);
  if (matrix.columns.length > widestMatrix) {
    yield piece(
      `<p class="quiet">${matrix.columns.length} elements are linked, more than fit beside each other; each requirement with its elements:</p><table class="list">`,
      0,
    );
    for (let k = 0; k < matrix.rows.length; k += 200) {
      const some = matrix.rows.slice(k, k + 200);
      yield piece(
        some
          .map(
            (r) =>
              `<tr><th>${jump({ address: `requirement/${r.id}`, label: r.key })}</th><td>${(links.ofRequirement.get(r.id) ?? []).map((l) => (l.element ? jump(l.element) : '(gone)')).join(', ') || '<span class="bad">no link</span>'}</td></tr>`,
          )
          .join(''),
        some.length,
      );
    }
    yield piece('</table>', 0);
  } else {
    yield piece(
      `<div class="wide"><table class="matrix"><thead><tr><td></td>${matrix.columns.map((c) => `<th><div><span>${jump(c)}</span></div></th>`).join('')}</tr></thead><tbody>`,
      0,
    );
    for (let k = 0; k < matrix.rows.length; k += 100) {
      const some = matrix.rows.slice(k, k + 100);
      yield piece(
        some
          .map(
            (r, j) =>
              `<tr${matrix.isRowEmpty(k + j) ? ' class="empty"' : ''}><th>${jump({ address: `requirement/${r.id}`, label: r.key })}</th>${matrix.columns
                .map((_, c) => {
                  const l = matrix.cell(k + j, c);
                  return `<td>${l ? (l.state === 'suspect' ? '?' : '×') : ''}</td>`;
                })
                .join('')}</tr>`,
          )
          .join(''),
        some.length,
      );
    }
    yield piece('</tbody></table></div>', 0);
  }
  yield piece(
    `</section><section id="gaps"><h2>Gaps, and links to look at again</h2>${gapsHtml(complete.gaps)}</section>
<section id="runs"><h2>Runs this report rests on</h2>${runs.length === 0 ? '<p class="quiet">No run has been made.</p>' : `<table class="list"><tr><th>Setup</th><th>When</th><th>Changed values</th><th>Verdicts</th></tr>${runs.map((r) => `<tr><td>${x(r.setup)}</td><td>${x(r.at)}</td><td>${x(r.changes) || '–'}</td><td>${r.holds} hold, ${r.fails} fail, ${r.undecided} undecided</td></tr>`).join('')}</table>`}</section></main></body></html>\n`,
    total,
  );
}

/** The report in one go. */
export const reportHtml = (input: ReportInput): string => [...reportPieces(input)].map((p) => p.html).join('');

function depths(requirements: readonly Requirement[]): Map<string, number> {
  const byId = new Map(requirements.map((r) => [r.id, r]));
  const found = new Map<string, number>();
  const depth = (r: Requirement, steps = 0): number => {
    const known = found.get(r.id);
    if (known !== undefined) return known;
    const parent = r.parent === null || steps > 50 ? undefined : byId.get(r.parent);
    const d = parent ? depth(parent, steps + 1) + 1 : 0;
    found.set(r.id, d);
    return d;
  };
  requirements.forEach((r) => depth(r));
  return found;
}

const stateMark = (l: CheckedLink): string =>
  l.state === 'sound'
    ? ''
    : ` <span class="bad">${l.state === 'suspect' ? 'to look at again' : 'leads nowhere'}: ${x(whyNotSound(l))}</span>`;

function requirementHtml(
  project: Project,
  r: Requirement,
  standing: Standing | undefined,
  links: readonly CheckedLink[],
  depth: number,
): string {
  const address = `requirement/${r.id}`;
  const head = `<a data-address="${x(address)}" href="#${anchor(address)}">${x(r.key)}</a>`;
  if (!isBinding(r))
    return `<article id="${anchor(address)}" style="margin-left:${depth * 18}px"><h3>${head} ${x(r.text)}</h3></article>`;
  const limit = limitOf(r, project.glossary);
  const finding = standing?.finding;
  const basis = {
    run: `in the newest run${standing?.setup ? ` of ${standing.setup}` : ''}`,
    constants: 'from constants',
    observation: 'signed observation',
    nothing: '',
  }[standing?.basis ?? 'nothing'];
  const margin = finding?.margin === undefined ? '' : ` by ${number(Math.abs(finding.margin))} ${x(finding.unit)}`;
  const verdict = finding
    ? `<span class="${finding.verdict}">${verdictWords[finding.verdict]}${finding.verdict === 'undecided' ? '' : margin}</span> <small>${x([basis, finding.failsSince === undefined ? '' : `since ${number(finding.failsSince)} s`, finding.reason, standing?.basis === 'run' && standing.doubt ? `out of date: ${standing.doubt}` : ''].filter(Boolean).join('; '))}</small>`
    : '<span class="undecided">○ not run</span>';
  const source = r.source
    ? `<small>from ${x([r.source.file, r.source.sheet === r.source.file ? '' : r.source.sheet, r.source.cell || (r.source.row > 0 ? `row ${r.source.row}` : '')].filter(Boolean).join(', '))}</small>`
    : '';
  const attributes = r.attributes.map((a) => `<tr><th>${x(a.name)}</th><td>${x(a.value)}</td></tr>`).join('');
  const formula =
    limit.formula === undefined
      ? `<p class="bad">${x(limit.problems[0]?.message ?? 'no formula')}</p>`
      : `<p><code>${x(showFormula(limit.formula))}</code></p><p class="quiet">${x(explainFormula(limit.formula, project.glossary) ?? '')}</p>`;
  return `<article id="${anchor(address)}" style="margin-left:${depth * 18}px"><h3>${head} ${verdict}</h3><p>${x(r.text)} ${source}</p>${r.observation ? '' : formula}${attributes ? `<table class="facts">${attributes}</table>` : ''}${links.length > 0 ? `<p class="links">Linked to ${links.map((l) => (l.element ? jump(l.element) + stateMark(l) : `(gone)${stateMark(l)}`)).join(', ')}</p>` : ''}</article>`;
}

function gapsHtml(gaps: ReturnType<typeof completeness>['gaps']): string {
  if (gaps.length === 0) return '<p>There are none.</p>';
  const kinds = [...new Set(gaps.map((g) => g.kind))] as GapKind[];
  return kinds
    .map((kind) => {
      const some = gaps.filter((g) => g.kind === kind);
      return `<h3>${gapWords[kind]} (${some.length})</h3><ul>${some
        .slice(0, 2000)
        .map((g) => `<li>${jump({ address: g.address, label: g.label })}: ${x(g.message)}</li>`)
        .join('')}</ul>`;
    })
    .join('');
}
