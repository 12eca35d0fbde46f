import { emptyProject, newQuantity, newRequirement, newType, type Project, type Requirement } from '../project/project';
import type { Standing } from '../run/standing';
import { applyEdit } from '../editing/edits';
import { linkEdit } from './links';
import { reportHtml } from './report';

/** The report of small projects, word by word. */

const requirement = (key: string, text: string, more: Partial<Requirement> = {}): Requirement => ({
  ...newRequirement(`r-${key.toLowerCase()}`, key, text),
  ...more,
});
const project = (requirements: readonly Requirement[], quantities = 1): Project => ({
  ...emptyProject('p', 'Lamp'),
  root: 't',
  types: [
    {
      ...newType('t', 'Lamp'),
      quantities: Array.from({ length: quantities }, (_, k) => newQuantity(`q${k}`, `x${k}`)),
    },
  ],
  requirements,
  glossary: [{ id: 'g', phrase: 'light', meaning: 'x0' }],
});
type Found = NonNullable<Standing['finding']>;
const found = (finding: Partial<Found>, basis: Standing['basis'] = 'run'): Standing => ({
  basis,
  doubt: '',
  setup: basis === 'run' ? 'Bench' : '',
  finding: {
    id: 'r',
    key: 'R',
    verdict: 'holds',
    margin: undefined,
    unit: 'V',
    worstAt: undefined,
    failsSince: undefined,
    reason: '',
    lane: [],
    ...finding,
  },
});
const report = (p: Project, standings: ReadonlyMap<string, Standing> = new Map()): string =>
  reportHtml({ project: p, standings, runs: [], made: 'today' });
/** The text of one article, as it is read. */
const article = (html: string, key: string): string => {
  const whole = html.split('<article ').find((a) => a.includes(`>${key}</a>`)) ?? '';
  return whole
    .slice(whole.indexOf('>') + 1)
    .replace(/<\/article>.*$/s, '')
    .replace(/<[^>]+>/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();
};

test('verdicts with their distance, large and small ones too, when it failed, and where that comes from', () => {
  const r = requirement('R-1', 'The light shall stay below 5.');
  const told = (standing: Standing): string => article(report(project([r]), new Map([[r.id, standing]])), 'R-1');
  expect(told(found({ margin: 0.123456 }))).toMatch(/^R-1 ✓ holds by 0\.123 V in the newest run of Bench /);
  expect(told(found({ margin: -12.345, verdict: 'fails', failsSince: 0.5 }))).toMatch(
    /^R-1 ✗ fails by 12\.3 V in the newest run of Bench; since 0\.5 s /,
  );
  expect(told(found({ margin: 4.2e-7 }))).toContain('by 4.20e−7 V');
  expect(told(found({ margin: 1e6 }))).toContain('by 1.00e+6 V');
  expect(told(found({ margin: 999_999 }))).toContain('by 1000000 V');
  expect(told(found({ margin: 1e-4 }))).toContain('by 0.0001 V');
  expect(told(found({ margin: 0 }))).toContain('by 0 V');
  expect(told(found({ verdict: 'undecided', margin: 3, reason: 'It never began' }))).toMatch(
    /^R-1 ○ undecided in the newest run of Bench; It never began /,
  );
  expect(told(found({ margin: 1 }, 'constants'))).toContain('from constants');
  expect(told(found({}, 'observation'))).toContain('signed observation');
  expect(article(report(project([r])), 'R-1')).toMatch(/^R-1 ○ not run /);
});

test('the text, the limit in its formula and in plain words, or why there is none', () => {
  const html = report(
    project([requirement('R-1', 'The light shall stay below 5.'), requirement('R-2', 'It shall be nice.')]),
  );
  expect(article(html, 'R-1')).toContain('always(x0 &lt; 5)');
  expect(article(html, 'R-1')).toContain('At every moment, light is below 5.');
  expect(article(html, 'R-2')).toMatch(/R-2 ○ not run It shall be nice\. \S/);
});

test('where it was imported from, its other columns, and under what it stands', () => {
  const source = { file: 'needs.xlsx', sheet: 'Lamp', row: 7, cell: 'B7', foreign: '' };
  const html = report(
    project([
      requirement('H-1', 'Light', { kind: 'heading' }),
      requirement('R-1', 'The light shall stay below 5.', {
        parent: 'r-h-1',
        source,
        attributes: [{ name: 'Owner', value: 'Eva & Max' }],
      }),
      requirement('R-2', 'The light shall stay below 9.', {
        parent: 'r-r-1',
        source: { ...source, cell: '', sheet: 'needs.xlsx' },
      }),
    ]),
  );
  expect(article(html, 'H-1')).toBe('H-1 Light');
  expect(article(html, 'R-1')).toContain('from needs.xlsx, Lamp, B7');
  expect(article(html, 'R-1')).toContain('Owner Eva &amp; Max');
  expect(article(html, 'R-2')).toContain('from needs.xlsx, row 7');
  expect([...html.matchAll(/<article [^>]*margin-left:(\d+)px/g)].map((m) => m[1])).toEqual(['0', '18', '36']);
  expect(html).toContain('<th>Requirements</th><td>2, and 1 heading or remark</td>');
});

test('the summary counts what there is', () => {
  const all = ['R-1', 'R-2', 'R-3', 'R-4'].map((key) => requirement(key, 'The light shall stay below 5.'));
  const html = report(
    project(all, 3),
    new Map([
      [all[0].id, found({})],
      [all[1].id, found({ verdict: 'fails' })],
      [all[2].id, found({ verdict: 'undecided' })],
    ]),
  );
  expect(html).toContain('1 hold, 1 fail, 1 undecided, 1 not run');
  expect(html).toContain('1 part type, 3 quantities, 0 states');
  expect(html).toContain('No run has been made.');
  expect(html).toContain('No element is linked to a requirement yet.');
});

test('links are drawn as a matrix, as lists where there are too many, and those to look at again are told', () => {
  const one = project([requirement('R-1', 'The light shall stay below 5.'), requirement('R-2', 'It shall glow.')], 100);
  let count = 0;
  const linked = (n: number): Project =>
    applyEdit(
      one,
      linkEdit(
        one,
        ['r-r-1'],
        Array.from({ length: n }, (_, k) => `type/t/quantity/q${k}`),
        () => `v${++count}`,
      )!,
    ).project;
  const small = report(linked(3));
  expect(small).toContain('<table class="matrix">');
  expect((small.match(/<td>×<\/td>/g) ?? []).length).toBe(3);
  expect(small).toContain('<tr class="empty"><th><a href="#a-requirement_2fr-r-2"');
  const large = report(linked(81));
  expect(large).not.toContain('<table class="matrix">');
  expect(large).toContain('81 elements are linked, more than fit beside each other');
  expect(large).toContain('<span class="bad">no link</span>');
  expect(report(linked(80))).toContain('<table class="matrix">');

  const changed = applyEdit(linked(1), {
    kind: 'update',
    list: 'requirement',
    id: 'r-r-1',
    changes: { text: 'The light shall stay below 6.' },
  }).project;
  expect(article(report(changed), 'R-1')).toMatch(/Linked to Lamp\.x0 to look at again: \S/);
  expect(report(changed)).toContain('<td>?</td>');
  const gone = applyEdit(linked(3), { kind: 'remove', list: 'type/t/quantity', id: 'q2' }).project;
  expect(article(report(gone), 'R-1')).toMatch(/leads nowhere: \S/);
});
