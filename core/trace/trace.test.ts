import { tubeCapper } from '../../samples/tube-capper';
import { readXml } from '../formats/xml';
import { applyEdit, undoEdit, type Edit } from '../editing/edits';
import type { Project } from '../project/project';
import { standingOf, type Standing } from '../run/standing';
import { completeness } from './completeness';
import { markOf, physicsEquations } from '../project/equations';
import { elementIndex, elementKinds } from './elements';
import { impactOf, type ImpactNode } from './impact';
import { confirmEdit, linkEdit, linkIndex, linksOf, unlinkEdit, whyNotSound } from './links';
import { matrixRows, traceMatrix } from './matrix';
import { reportHtml, reportPieces } from './report';

const run = (p: Project, edit: Edit | undefined): Project => {
  const result = applyEdit(p, edit!);
  expect(result.refused).toBeUndefined();
  return result.project;
};
const ofKey = (p: Project, key: string) => p.requirements.find((r) => r.key === key)!;
const quantity = 'type/t-spindledrive/quantity/q-speed';
let counter = 0;
const newId = (): string => `n-${++counter}`;

test('the capper: every link is sound, and everything it can lead to has an address of its own', () => {
  const { all, byAddress } = elementIndex(tubeCapper);
  expect(byAddress.size).toBe(all.length);
  expect(new Set(all.map((e) => e.kind))).toEqual(new Set(elementKinds));
  const { suspect, broken, all: links } = linkIndex(tubeCapper);
  expect([suspect, broken]).toEqual([[], []]);
  expect(links.length).toBeGreaterThan(30);
});

test('equal texts have equal marks, different ones different marks', () => {
  expect(markOf('abc')).toBe(markOf('abc'));
  const marks = new Set(Array.from({ length: 20_000 }, (_, k) => markOf(`The speed shall not exceed ${k} rpm.`)));
  expect(marks.size).toBe(20_000);
});

describe('links', () => {
  test('many with many at once; those that are there are not doubled; taken back in one step', () => {
    const before = { ...tubeCapper, traces: [] };
    const edit = linkEdit(before, ['r-cap-01', 'r-cap-02'], [quantity, 'setup/u-careful'], newId);
    const result = applyEdit(before, edit!);
    expect(result.project.traces.length).toBe(4);
    expect(linkEdit(result.project, ['r-cap-01', 'r-cap-02'], [quantity, 'setup/u-careful'], newId)).toBeUndefined();
    expect(undoEdit(result.project, result.inverse)).toEqual(before);
  });
  test('nothing is linked to itself or to what is not there', () => {
    expect(linkEdit(tubeCapper, ['r-cap-01'], ['requirement/r-cap-01', 'type/none'], newId)).toBeUndefined();
    expect(linkEdit(tubeCapper, ['nobody'], [quantity], newId)).toBeUndefined();
  });
  test('another text of the requirement makes its links suspect until they are confirmed, the old text makes them sound again', () => {
    const change = (text: string): Edit => ({
      kind: 'update',
      list: 'requirement',
      id: 'r-cap-01',
      changes: { text },
    });
    const changed = run(tubeCapper, change('The spindle speed shall not exceed 300 rpm.'));
    const { suspect } = linkIndex(changed);
    const own = tubeCapper.traces.filter((t) => t.requirement === ofKey(tubeCapper, 'CAP-01').id);
    expect(suspect.map((l) => l.link.id)).toEqual(own.map((t) => t.id));
    expect(whyNotSound(suspect[0])).toBe('CAP-01 changed since the link was confirmed');
    expect(linkIndex(run(changed, confirmEdit(changed, suspect))).suspect).toEqual([]);
    expect(linkIndex(run(changed, change(ofKey(tubeCapper, 'CAP-01').text))).suspect).toEqual([]);
  });
  test('so does a change of the element; a new name of it does not break the link', () => {
    const list = 'type/t-spindledrive/quantity';
    const renamed = run(tubeCapper, { kind: 'rename', list, id: 'q-speed', name: 'omega' });
    const touched = linkIndex(renamed).suspect.filter((l) => l.link.element === quantity);
    expect(whyNotSound(touched[0])).toMatch(/SpindleDrive\.omega changed/);
    expect(linkIndex(renamed).broken.map(whyNotSound)).toEqual([]);
  });
  test('an equation that was changed is still itself: its link is to be looked at, and one that is gone breaks it', () => {
    const type = tubeCapper.types.find((t) => t.name === 'SpindleDrive')!;
    const write = (physics: string): Project =>
      run(tubeCapper, { kind: 'update', list: 'type', id: type.id, changes: { physics } });
    const changed = write(type.physics.replace('current = coil.i', 'current = 2*coil.i'));
    const { broken, suspect } = linkIndex(changed);
    expect(broken).toEqual([]);
    expect(suspect.map(whyNotSound)).toEqual(['SpindleDrive: current = 2*coil.i changed since the link was confirmed']);
    expect(linkIndex(run(changed, confirmEdit(changed, suspect))).suspect).toEqual([]);
    const beside = write(type.physics.replace('equation', 'equation\n  0 = 0;'));
    expect([linkIndex(beside).broken, linkIndex(beside).suspect]).toEqual([[], []]);
    const without = write(type.physics.replace(/current = coil\.i;/, ''));
    expect(linkIndex(without).broken.map(whyNotSound)).toEqual(['What it leads to is gone: an equation']);
  });
  test('a deleted element leaves a broken link, a deleted requirement takes its links along', () => {
    const chart = 'type/t-cappercontrol/chart/c-mode/state';
    const freed = {
      ...tubeCapper,
      flows: [],
      cases: [],
      requirements: tubeCapper.requirements.map((r) => ({ ...r, formula: '' })),
    };
    const without = run(freed, { kind: 'remove', list: chart, id: 's-notube' });
    expect(linkIndex(without).broken.map((l) => `${l.requirement!.label}: ${whyNotSound(l)}`)).toContain(
      'CAP-10: What it leads to is gone: a state',
    );
    const fewer = run(tubeCapper, { kind: 'remove', list: 'requirement', id: 'r-cap-01' });
    expect(fewer.traces.some((t) => t.requirement === 'r-cap-01')).toBe(false);
    expect(fewer.retired).toEqual([{ id: 'r-cap-01', key: 'CAP-01' }]);
  });
  test('from either side, and all of an element removed at once', () => {
    expect(linksOf(tubeCapper, 'requirement/r-cap-02').length).toBe(8);
    const setup = linksOf(tubeCapper, 'setup/u-careful');
    expect(setup.map((l) => l.requirement!.label)).toEqual([
      'CAP-01',
      'CAP-02',
      'CAP-03',
      'CAP-04',
      'CAP-06',
      'CAP-16',
    ]);
    expect(linksOf(run(tubeCapper, unlinkEdit(setup)), 'setup/u-careful')).toEqual([]);
  });
});

test('equations of physics text are known by their text, comments and spaces aside', () => {
  const texts = physicsEquations(tubeCapper.types.find((t) => t.name === 'SpindleDrive')!);
  expect(texts.map((e) => e.left)).toContain('current');
  expect(texts.every((e) => !e.text.includes('//') && !e.text.includes('\n'))).toBe(true);
});

describe('impact', () => {
  const names = (nodes: readonly ImpactNode[]): string[] =>
    nodes.flatMap((n) => [n.element.label, ...names(n.children)]);
  test('of a parameter: what uses it, up to requirements and setups', () => {
    const { downstream } = impactOf(tubeCapper, 'type/t-cappercontrol/quantity/q-creepSpeed', 12);
    // over equations and links, all the way to the other end of the product
    expect(names(downstream)).toEqual(
      expect.arrayContaining([
        'CapperControl.wanted',
        'CapperControl.voltage',
        'SpindleDrive.command',
        'SpindleDrive.current',
        'CAP-04',
      ]),
    );
    expect(names(downstream)).toEqual(
      expect.arrayContaining([
        'CapperControl: asked = if in(mode.Fast) then fastSpeed elseif in(mode.Creep) then creepSpeed else 0',
        'CapperControl: wanted = rateLimit(asked, up = steepest)',
        'Eager',
      ]),
    );
  });
  test('of a requirement: what it rests on by its formula, and what serves and tests it', () => {
    const { upstream, downstream } = impactOf(tubeCapper, 'requirement/r-cap-02');
    expect(upstream.find((n) => n.element.label === 'CapThread.torque')).toMatchObject({ how: 'uses' });
    expect(downstream.find((n) => n.element.label === 'Eager')).toMatchObject({ how: 'tested by' });
  });
  test('each thing stands in the tree once, and circles end', () => {
    const { downstream, upstream } = impactOf(tubeCapper, quantity, 30);
    for (const tree of [downstream, upstream])
      expect(new Set(names(tree)).size).toBeGreaterThan(0.95 * names(tree).length);
  });
});

describe('completeness', () => {
  test('tells what is not traced yet, each with a place to go to', () => {
    const { gaps, bars, done, of } = completeness(tubeCapper);
    expect(gaps.filter((g) => g.kind === 'no-formula').map((g) => g.label)).toEqual(['CAP-14']);
    expect(gaps.filter((g) => g.kind === 'no-element').map((g) => g.label)).toEqual(['CAP-13']);
    expect(gaps.some((g) => g.kind === 'step' && g.label.endsWith('operator: presses start'))).toBe(true);
    expect(gaps.some((g) => g.kind === 'branch')).toBe(false);
    for (const g of gaps) expect(elementIndex(tubeCapper).byAddress.has(g.address)).toBe(true);
    expect(of - done).toBe(gaps.length);
    expect(bars.reduce((n, b) => n + b.of, 0)).toBe(of);
  });
  test('a link to a step closes its gap', () => {
    const gap = completeness(tubeCapper).gaps.find((g) => g.kind === 'step')!;
    const linked = run(tubeCapper, linkEdit(tubeCapper, ['r-cap-01'], [gap.address], newId));
    expect(completeness(linked).gaps.some((g) => g.address === gap.address)).toBe(false);
  });
});

test('the matrix: rows, columns, cells, filters', () => {
  const all = traceMatrix(tubeCapper, { requirements: '', elements: '', kinds: elementKinds, show: 'linked' });
  expect(all.rows.length).toBe(17);
  const column = all.columns.findIndex((c) => c.address === quantity);
  expect([all.cell(0, column)?.link.requirement, all.cell(1, column)]).toEqual(['r-cap-01', undefined]);
  expect(all.isRowEmpty(12)).toBe(true);
  const some = traceMatrix(tubeCapper, { requirements: 'TORQUE', elements: 'creep', kinds: ['quantity'], show: 'all' });
  expect(some.rows.map((r) => r.key)).toEqual(['CAP-02', 'CAP-06', 'CAP-14']);
  expect(some.columns.map((c) => c.label)).toEqual(['CapperControl.creepSpeed', 'CapperControl.creepAfter']);
  expect(
    traceMatrix(tubeCapper, { requirements: '', elements: '', kinds: ['quantity'], show: 'gaps' }).rows.map(
      (r) => r.key,
    ),
  ).toEqual(['CAP-13']);
  const rows = matrixRows(all);
  expect(rows[0].slice(0, 2)).toEqual(['Requirement', 'Text']);
  expect(rows[1].filter((c) => c === 'x').length).toBe(Number(rows[1].at(-1)));
});

describe('report', () => {
  const standings = new Map<string, Standing>(
    tubeCapper.requirements.map((r) => [r.id, standingOf(r, undefined, undefined)]),
  );
  const html = reportHtml({
    project: { ...tubeCapper, name: 'Caps & <tubes>' },
    standings,
    runs: [{ setup: 'Careful', changes: '', at: 'today', holds: 1, fails: 0, undecided: 2 }],
    made: 'today',
  });
  test('is one self-contained, well-formed page without scripts or addresses elsewhere', () => {
    expect(readXml(html.replace('<!doctype html>', '').replace(/<meta[^>]*>/g, '')).problem).toBeUndefined();
    expect(html).not.toMatch(/<script|src=|https?:/);
    expect(html).toContain('Caps &amp; &lt;tubes&gt;');
  });
  test('every anchor leads to something in it', () => {
    const ids = new Set([...html.matchAll(/id="([^"]+)"/g)].map((m) => m[1]));
    const missing = [...html.matchAll(/href="#([^"]+)"/g)].map((m) => m[1]).filter((a) => !ids.has(a));
    // steps that no requirement asks for have no place of their own in it
    expect([...new Set(missing)].every((a) => a.startsWith('a-flow'))).toBe(true);
    expect(ids.size).toBeGreaterThan(40);
  });
  test('says what was signed, what is open, and what the runs were', () => {
    for (const words of [
      'Seen by J. Marek on 2026-11-02',
      'CAP-14 has no formula',
      'Careful',
      'Requirements that nothing can check (1)',
    ])
      expect(html).toContain(words);
  });
  test('tells how far it is', () => {
    const shares = [...reportPieces({ project: tubeCapper, standings, runs: [], made: '' })].map((p) => p.progress);
    expect(shares.every((s, k) => k === 0 || s >= shares[k - 1])).toBe(true);
    expect(shares.at(-1)).toBe(1);
  });
});

test('where a verdict comes from: a signature, constants, a run', () => {
  const r = ofKey(tubeCapper, 'CAP-15');
  expect(standingOf(r, undefined, undefined)).toMatchObject({
    basis: 'observation',
    finding: { verdict: 'holds' },
    doubt: '',
  });
  expect(standingOf({ ...r, text: 'Something else shall hold.' }, undefined, undefined)).toMatchObject({
    finding: { verdict: 'undecided' },
    doubt: expect.stringContaining('another text'),
  });
  expect(standingOf(ofKey(tubeCapper, 'CAP-01'), undefined, undefined)).toEqual({
    basis: 'nothing',
    finding: undefined,
    doubt: '',
    setup: '',
  });
  expect(standingOf({ ...r, kind: 'heading' }, undefined, undefined).finding).toBeUndefined();
});
