import { gapWords, itemWords } from '../coverage/words';
import { counted } from '../formats/report-html';
import { parts } from './conclude';
import type { CaseFact, Evidence, Figure, LinkFact, TriedFact } from './evidence';

/** What evidence tells, as tables: the same in a page and in a workbook. */
export interface EvidenceTable {
  readonly title: string;
  /** What the table says, where its heads do not. */
  readonly note: string;
  readonly head: readonly string[];
  readonly rows: readonly EvidenceRow[];
  /** Widths of columns in letters. */
  readonly widths: readonly number[];
  /** Long and for looking things up: closed in a page until it is asked for. */
  readonly isFolded: boolean;
  /** What is said where there are no rows. */
  readonly empty: string;
}

export interface EvidenceRow {
  /** Others lead here by it: an address, or the title of a table. */
  readonly id: string;
  readonly cells: readonly EvidenceCell[];
}

export interface EvidenceCell {
  readonly text: string;
  /** Where the figure comes from. */
  readonly to?: string;
  readonly tone?: 'good' | 'bad' | 'quiet';
  readonly isCode?: boolean;
}

const cell = (text: string, to?: string, tone?: EvidenceCell['tone']): EvidenceCell => ({
  text,
  ...(to !== undefined && to !== '' && { to }),
  ...(tone && { tone }),
});
const plain = (...texts: readonly string[]): readonly EvidenceCell[] => texts.map((t) => cell(t));
const code = (text: string): EvidenceCell => ({ text, isCode: true });

const gapKinds = ['test', 'need', 'dead', 'excused', 'suspect'] as const;

/** Six digits, with the unit. */
export const figureText = (x: Figure, unit = ''): string =>
  x === null
    ? ''
    : typeof x === 'number'
      ? `${String(Number(x.toPrecision(6))).replace('-', '−')} ${unit}`.trimEnd()
      : x.replace('-infinite', 'infinitely far below');

const conformityTone = { met: 'good', 'not met': 'bad', open: 'quiet' } as const;
const verdictTone = (v: string): EvidenceCell['tone'] =>
  v === 'passed' || v === 'holds' ? 'good' : v === 'failed' || v === 'fails' ? 'bad' : 'quiet';
const verdictSigns: Readonly<Record<string, string>> = {
  passed: '✓ passed',
  failed: '✗ failed',
  met: '✓ met',
  'not met': '✗ not met',
  open: '○ open',
  holds: '✓ holds',
  fails: '✗ fails',
  undecided: '○ undecided',
};
const signed = (verdict: string): string => verdictSigns[verdict] ?? `○ ${verdict}`;

/** A moment as people write it, the same wherever it is read. */
export const momentText = (iso: string): string => iso.replace('T', ' ').replace(/(:\d\d)(\.\d+)?Z$/, '$1 UTC');

const share = (of: number, all: number, none = 'nothing to come through'): string =>
  all === 0 ? none : `${of} of ${all} (${(Math.floor((1000 * of) / all) / 10).toFixed(1)} %)`;

export function tablesOf(e: Evidence): readonly EvidenceTable[] {
  const keys = new Map(e.requirements.map((r) => [r.id, r.key]));
  const cases = new Map(e.cases.map((c) => [c.id, c]));
  const nameOf = (id: string): string => cases.get(id)?.name ?? id;
  const { conclusion: c } = e;
  const table = (
    title: string,
    note: string,
    head: readonly string[],
    widths: readonly number[],
    rows: readonly EvidenceRow[],
    more: Partial<Pick<EvidenceTable, 'isFolded' | 'empty'>> = {},
  ): EvidenceTable => ({ title, note, head, widths, rows, isFolded: false, empty: 'There are none.', ...more });
  const row = (id: string, ...cells: readonly EvidenceCell[]): EvidenceRow => ({ id, cells });
  const of = new Map(c.requirements.map((r) => [r.id, r]));
  const fact = (name: string, ...cells: readonly [EvidenceCell]): EvidenceRow => row('', cell(name), ...cells);

  return [
    table(
      parts.tested,
      '',
      ['What', 'Which'],
      [26, 90],
      [
        fact('Project', cell(`${e.project.name}${e.project.note ? `: ${e.project.note}` : ''}`)),
        fact('Put together', cell(momentText(e.made))),
        fact(
          'Baseline',
          e.baseline
            ? cell(
                `${e.baseline.name}${e.baseline.at && `, frozen ${momentText(e.baseline.at)}`}${e.baseline.differences > 0 ? `; what was tested differs from it in ${counted(e.baseline.differences, 'place')}` : ''}`,
                undefined,
                e.baseline.differences > 0 ? 'bad' : undefined,
              )
            : cell('none', undefined, 'quiet'),
        ),
        fact('Stages', cell(e.stages.join(', '))),
        fact(
          'Requirements',
          cell(`${c.met} met, ${c.notMet} not met, ${c.open} open`, 'Requirements', c.notMet > 0 ? 'bad' : undefined),
        ),
        fact(
          'Requirements exercised by test cases',
          cell(share(c.exercised, e.requirements.length, 'there are none'), 'Requirements judged beside'),
        ),
        fact(
          'Outcomes of test cases',
          cell(
            `${c.passed} passed, ${c.failed} failed, ${c.without} without an outcome`,
            'Test cases',
            c.failed > 0 ? 'bad' : undefined,
          ),
        ),
        fact('Coverage of the model', cell(share(c.covered, c.wanted), parts.coverage)),
        ...(e.strength
          ? [
              fact(
                'Changes of the model that cases notice',
                cell(share(e.strength.noticed, e.strength.of), parts.strength),
              ),
            ]
          : []),
        fact('Open points', cell(String(c.points.length), 'Open points', c.points.length > 0 ? 'bad' : undefined)),
        fact('Digest of the project (SHA-256)', code(e.project.sha256)),
        ...(e.baseline ? [fact('Digest of the baseline (SHA-256)', code(e.baseline.sha256))] : []),
        ...e.tools.map((t) => fact(t.name, cell(t.version))),
        ...e.signed.map((s) =>
          fact('Signed', cell(`${s.name}, ${s.on}${s.words ? `: ${s.words}` : ''}`, 'Signatures')),
        ),
      ],
    ),
    table(
      'Open points',
      'What somebody has to look at before this is relied on.',
      ['Kind', 'What'],
      [28, 100],
      c.points.map((p) => row('', cell(p.kind), cell(p.text, p.of))),
    ),
    table(
      'Requirements',
      'Met: something decided it, nothing failed it, and every case linked to it ran wherever it was to run, and what it expects came. The margin is the least of all.',
      ['Requirement', 'Says', 'Conformity', 'Least margin', 'In', 'Why', 'Test cases'],
      [16, 60, 14, 18, 30, 40, 40],
      e.requirements.map((r) => {
        const s = of.get(r.id);
        return row(
          `requirement/${r.id}`,
          cell(r.key),
          cell(`${r.text}${r.source ? ` (from ${r.source})` : ''}`),
          cell(signed(s?.conformity ?? 'open'), undefined, conformityTone[s?.conformity ?? 'open']),
          cell(s ? figureText(s.margin, s.unit) : ''),
          s && s.case !== '' ? cell(`${nameOf(s.case)}, ${s.stage}`, `case/${s.case}`) : cell(s?.stage ?? ''),
          cell(s?.why ?? ''),
          cell((s?.cases ?? []).map(nameOf).join(', ') || 'none', undefined, s?.cases.length ? undefined : 'quiet'),
        );
      }),
    ),
    table(
      'Test cases',
      '',
      ['Test case', 'Tries', 'Tags', 'Requirements', ...e.stages, 'Why'],
      [34, 26, 18, 26, ...e.stages.map(() => 14), 60],
      e.cases.map((x) => {
        const linked = c.requirements.filter((r) => r.cases.includes(x.id)).map((r) => keys.get(r.id) ?? r.id);
        return row(
          `case/${x.id}`,
          cell(x.name),
          cell(x.tries),
          cell(x.tags.join(', ')),
          cell(linked.join(', ') || 'none', undefined, linked.length > 0 ? undefined : 'quiet'),
          ...e.stages.map((stage) => {
            const t = x.tried.find((y) => y.stage === stage);
            return t
              ? cell(signed(t.verdict), `outcome/${x.id}/${stage}`, verdictTone(t.verdict))
              : cell('not for it', undefined, 'quiet');
          }),
          cell([...new Set(x.tried.map((t) => t.why).filter(Boolean))].join('; ')),
        );
      }),
    ),
    table(
      'Outcomes',
      'Of every test case in every stage. Times are those of the product.',
      ['Test case', 'Stage', 'Verdict', 'Why', 'Failed at', 'Went to', 'Furthest from what was expected', 'Run'],
      [34, 12, 14, 60, 14, 14, 50, 24],
      e.cases.flatMap((x) => x.tried.map((t) => outcomeRow(x, t))),
      { isFolded: true },
    ),
    table(
      'What each test case does',
      '',
      ['Test case', 'Lines', 'Sequences', 'Table'],
      [34, 90, 30, 24],
      e.cases.map((x) =>
        row(
          `lines/${x.id}`,
          cell(x.name, `case/${x.id}`),
          code(x.script),
          cell(x.sequences.join(', ')),
          cell(x.columns > 0 ? `${counted(x.columns, 'column')}, ${counted(x.rows, 'row')}` : ''),
        ),
      ),
      { isFolded: true },
    ),
    table(
      'Requirements judged beside',
      'Whatever a case expects, every requirement that its run decides is judged.',
      ['Requirement', 'Test case', 'Stage', 'Verdict', 'Margin', 'Worst at', 'Fails since', 'How'],
      [16, 34, 12, 14, 18, 14, 14, 60],
      e.cases.flatMap((x) =>
        x.tried.flatMap((t) =>
          t.judged
            .filter((j) => j.verdict !== 'undecided')
            .map((j) =>
              row(
                '',
                cell(keys.get(j.requirement) ?? j.requirement, `requirement/${j.requirement}`),
                cell(x.name, `case/${x.id}`),
                cell(t.stage),
                cell(signed(j.verdict), undefined, verdictTone(j.verdict)),
                ...plain(
                  figureText(j.margin, j.unit),
                  figureText(j.worstAt, 's'),
                  figureText(j.failsSince, 's'),
                  j.reason,
                ),
              ),
            ),
        ),
      ),
      { isFolded: true },
    ),
    table(
      'Deviations between stages',
      'Where stages do not agree on a verdict, and for each requirement the case in which their margins are furthest apart.',
      ['Test case', 'Requirement', 'By stage', 'Apart by'],
      [34, 16, 80, 18],
      c.deviations.map((d) =>
        row(
          '',
          cell(nameOf(d.case), `case/${d.case}`, d.isVerdict ? 'bad' : undefined),
          cell(keys.get(d.requirement) ?? d.requirement, d.requirement && `requirement/${d.requirement}`),
          cell(
            d.of
              .map((s) =>
                `${s.stage} ${d.isVerdict ? s.verdict : ''} ${figureText(s.margin, d.unit)}`
                  .replace(/\s+/g, ' ')
                  .trim(),
              )
              .join('; '),
          ),
          cell(figureText(d.spread, d.unit)),
        ),
      ),
      { empty: 'All stages agree.' },
    ),
    table(
      parts.coverage,
      'What test cases come through; what nothing can reach, or need not be as somebody has said, is not asked for.',
      ['Part type', 'Come through', ...gapKinds.map((g) => gapWords[g])],
      [30, 24, 14, 16, 18, 14, 30],
      e.coverage.map((t) => {
        const count = (gap: string): EvidenceCell => {
          const n = t.items.filter((i) => i.gap === gap).length;
          return n === 0 ? cell('0', undefined, 'quiet') : cell(String(n), 'What is not come through');
        };
        return row(`coverage/${t.type}`, cell(t.type), cell(share(t.covered, t.wanted)), ...gapKinds.map(count));
      }),
    ),
    table(
      'What is not come through',
      '',
      ['Part type', 'Element', '', 'What', 'Stands', 'Why, or what would have to be', 'Excused'],
      [24, 36, 10, 50, 18, 60, 50],
      e.coverage.flatMap((t) =>
        t.items
          .filter((i) => i.gap !== '')
          .map((i) =>
            row(
              '',
              cell(t.type, `coverage/${t.type}`),
              ...plain(
                i.label,
                itemWords[i.kind] ?? i.kind,
                i.text,
                i.gap === '' ? '' : gapWords[i.gap],
                i.why,
                i.excuse ? `${i.excuse.kind}: ${i.excuse.reason} (${i.excuse.by}, ${i.excuse.on})` : '',
              ),
            ),
          ),
      ),
      { empty: 'Everything is come through.' },
    ),
    table(
      'What is come through, and by which case',
      'Of a condition, two words of its decision show what it does alone: bit 0 is the first condition.',
      ['Part type', 'Element', '', 'What', 'Test cases', 'Shown by'],
      [24, 36, 10, 50, 60, 30],
      e.coverage.flatMap((t) =>
        t.items
          .filter((i) => i.gap === '')
          .map((i) =>
            row(
              '',
              cell(t.type, `coverage/${t.type}`),
              ...plain(i.label, itemWords[i.kind] ?? i.kind, i.text, i.cases.map(nameOf).join(', '), i.shownBy),
            ),
          ),
      ),
      { isFolded: true },
    ),
    ...(e.strength
      ? [
          table(
            parts.strength,
            `${share(e.strength.noticed, e.strength.of)} small changes of the model make a test case fail. No case notices:`,
            ['Change', 'Excused'],
            [90, 60],
            e.strength.unnoticed.map((u) => row('', ...plain(u.what, u.excuse))),
          ),
        ]
      : []),
    table(
      'From requirements to elements',
      '',
      ['Requirement', 'Element', 'Kind', 'Link'],
      [16, 60, 18, 60],
      e.links.map((l) =>
        row(
          '',
          cell(keys.get(l.requirement) ?? '(gone)', `requirement/${l.requirement}`),
          cell(l.label || '(gone)', l.element.startsWith('case/') ? l.element : undefined),
          cell(l.kind),
          cell(l.why || 'sound', undefined, l.state === 'sound' ? undefined : 'bad'),
        ),
      ),
      { isFolded: true },
    ),
    table(
      'From elements to requirements',
      '',
      ['Element', 'Kind', 'Requirements'],
      [60, 18, 60],
      grouped(e.links).map((links) =>
        row(
          '',
          cell(links[0].label || '(gone)', links[0].element.startsWith('case/') ? links[0].element : undefined),
          ...plain(links[0].kind, links.map((l) => keys.get(l.requirement) ?? '(gone)').join(', ')),
        ),
      ),
      { isFolded: true },
    ),
    table(
      parts.problems,
      '',
      ['Severity', 'Where', 'What'],
      [14, 50, 100],
      e.problems.map((p) =>
        row('', cell(p.severity, undefined, p.severity === 'error' ? 'bad' : undefined), ...plain(p.where, p.message)),
      ),
    ),
    table(
      'Signatures',
      'Everything that somebody has put a name to.',
      ['Who', 'When', 'What', 'Words'],
      [28, 14, 20, 100],
      c.signatures.map((s) => row('', cell(s.name), cell(s.on), cell(s.what), cell(s.words, s.of))),
      { empty: 'Nobody has signed anything.' },
    ),
    table(
      'Generated code and images',
      'Of an image the bytes that a chip is loaded with, with their addresses.',
      ['Of', 'File', 'Bytes', 'SHA-256'],
      [30, 40, 12, 70],
      [
        ...e.code.flatMap((f) =>
          f.why !== ''
            ? [row('', cell(f.type), cell(f.why, undefined, 'bad'), cell(''), cell(''))]
            : f.files.map((x) => row('', cell(f.type), cell(x.name), cell(String(x.bytes)), code(x.sha256))),
        ),
        ...e.images.map((i) =>
          row('', cell(i.program), cell(`image for ${i.board}`), cell(String(i.bytes)), code(i.sha256)),
        ),
      ],
      { isFolded: true },
    ),
    table(
      'What the project consists of',
      '',
      ['Piece', 'SHA-256'],
      [70, 70],
      e.pieces.map((p) => row('', cell(p.label), code(p.sha256))),
      { isFolded: true },
    ),
  ];
}

const outcomeRow = (x: CaseFact, t: TriedFact): EvidenceRow => ({
  id: `outcome/${x.id}/${t.stage}`,
  cells: [
    cell(x.name, `case/${x.id}`),
    cell(t.stage),
    cell(signed(t.verdict), undefined, verdictTone(t.verdict)),
    cell(t.why),
    cell(figureText(t.failedAt, 's')),
    cell(figureText(t.time, 's')),
    cell(
      t.worst
        ? `${t.worst.target} ${figureText(t.worst.value, t.worst.unit)} at ${figureText(t.worst.time, 's')}, ${figureText(t.worst.expected, t.worst.unit)} within ${figureText(t.worst.within, t.worst.unit)} expected`
        : '',
    ),
    cell(momentText(t.at)),
  ],
});

/** Links by the element they lead to. */
function grouped(links: readonly LinkFact[]): readonly (readonly LinkFact[])[] {
  const found = new Map<string, LinkFact[]>();
  for (const l of links) {
    const known = found.get(l.element);
    if (known) known.push(l);
    else found.set(l.element, [l]);
  }
  return [...found.values()];
}
