import type { Problem } from '../language/diagnostics';
import { flatten } from '../flatten/flatten';
import { projectLibrary } from '../flatten/from-project';
import { setupOf, typeById, type Excuse, type Project, type TestCase } from '../project/project';
import { elementIndex } from '../trace/elements';
import { linkIndex } from '../trace/links';
import { itemsOf, together, type Came, type Item } from './came';
import { outcomeOf } from './decision';
import { missingWords } from './mcdc';
import { withNotes, type CoveragePlan, type Decision } from './plan';
import { ownTypes } from './plan-of';
import { canBe } from './possible';

/** What came of a case, as far as it counts here. */
export interface CaseCame {
  readonly of: TestCase;
  readonly came: Came;
}

/**
 * Why something is not covered. `test`: a case is missing. `need`: no requirement speaks of the element, so that no case could be asked for.
 * `dead`: nothing can reach it. `excused`: somebody has said why it need not be; `suspect`: that was said of another text than is there now.
 */
export type GapKind = 'test' | 'need' | 'dead' | 'excused' | 'suspect';

export interface CoveredItem {
  readonly item: Item;
  /** Cases that cover it. */
  readonly by: readonly TestCase[];
  /** All of these cases are linked to no requirement: nobody has asked for what they cover. */
  readonly isUnasked: boolean;
  readonly gap: GapKind | undefined;
  /** Of what is dead why, of what is not covered what would have to be. */
  readonly why: string;
  readonly excuse: Excuse | undefined;
}

export interface TypeCoverage {
  readonly typeId: string;
  readonly name: string;
  readonly items: readonly CoveredItem[];
  /** Items that are covered, and those that have to be: what is dead or excused does not. */
  readonly covered: number;
  readonly wanted: number;
}

export interface CoverageReport {
  readonly types: readonly TypeCoverage[];
  readonly covered: number;
  readonly wanted: number;
  /** Requirements whose cases cover nothing of what they are linked to. */
  readonly suspicious: readonly { readonly key: string; readonly message: string }[];
  /** Excuses of what is not there any more. */
  readonly orphans: readonly Excuse[];
}

const plans = new WeakMap<Project['types'], { readonly roots: string; readonly plan: CoveragePlan }>();

/** What there is to be come through: in the product, and in what cases or setups run in its place. */
export function projectPlan(project: Project): CoveragePlan {
  const roots = new Set([
    project.root,
    ...project.setups.map((s) => s.root || project.root),
    ...project.cases.map((c) => c.alone || setupOf(project, c)?.root || project.root),
  ]);
  const known = plans.get(project.types);
  if (known?.roots === [...roots].join()) return known.plan;
  const { library } = projectLibrary(project);
  const found: CoveragePlan[] = [];
  for (const root of roots) {
    const type = typeById(project, root);
    if (type) found.push(withNotes(flatten(library, type.name).model, ownTypes(project)).plan);
  }
  const [points, decisions] = [new Map<string, CoveragePlan['points'][number]>(), new Map<string, Decision>()];
  for (const p of found) {
    for (const x of p.points) if (!points.has(x.key)) points.set(x.key, x);
    for (const x of p.decisions) if (!decisions.has(x.key)) decisions.set(x.key, x);
  }
  const plan = { points: [...points.values()], decisions: [...decisions.values()], loops: [] };
  plans.set(project.types, { roots: [...roots].join(), plan });
  return plan;
}

/** The address that a trace link, or a jump, leads to. */
export const addressOf = (item: Item): string => item.of.place.replace(/\/(text|guard|effect|entry|exit|do)$/, '');

export function coverageReport(
  project: Project,
  cases: readonly CaseCame[],
  problems: readonly Problem[] = [],
): CoverageReport {
  const plan = projectPlan(project);
  const items = itemsOf(plan, together(cases.map((c) => c.came)));
  const links = linkIndex(project);
  const asked = (address: string): boolean => (links.ofElement.get(address) ?? []).some((l) => l.state !== 'broken');
  /** A requirement speaks of it, or of what it stands in. */
  const isNeeded = (address: string): boolean => {
    for (let at = address; at.includes('/'); at = at.slice(0, at.lastIndexOf('/'))) if (asked(at)) return true;
    return false;
  };
  const isLinked = new Map(cases.map(({ of }) => [of, asked(`case/${of.id}`)]));
  const excuses = new Map(project.excuses.map((e) => [e.item, e]));
  const neverOf = new Map(
    problems.flatMap((p) => (isDead(p) && p.place !== undefined ? [[p.place, p.message] as const] : [])),
  );
  const came = cases.map((c) => ({ ...c, points: new Set(c.came.points) }));
  const all = items.map((item): CoveredItem => {
    const address = addressOf(item);
    const by = item.hasCome ? [...new Set(came.flatMap((c) => (covers(item, c) ? [c.of] : [])))] : [];
    const excuse = excuses.get(item.key);
    const dead = item.hasCome ? undefined : (deadText(item) ?? neverOf.get(address));
    const gap: GapKind | undefined = item.hasCome
      ? undefined
      : excuse
        ? excuse.mark === elementMark(project, item)
          ? 'excused'
          : 'suspect'
        : dead !== undefined
          ? 'dead'
          : isNeeded(address)
            ? 'test'
            : 'need';
    return {
      item,
      by,
      isUnasked: by.length > 0 && by.every((c) => !isLinked.get(c)),
      gap,
      why: item.hasCome ? '' : (dead ?? missingText(item, came)),
      excuse,
    };
  });
  const types = project.types.flatMap((t): TypeCoverage[] => {
    const own = all.filter((x) => x.item.of.typeId === t.id);
    return own.length === 0 ? [] : [{ typeId: t.id, name: t.name, items: own, ...sharesOf(own) }];
  });
  const known = new Set(items.map((i) => i.key));
  return {
    types,
    ...sharesOf(all),
    suspicious: suspiciousNeeds(project, all, cases),
    orphans: project.excuses.filter(({ item: key }) => !known.has(key) && !key.startsWith(mutantPrefix)),
  };
}

export const sharesOf = (items: readonly CoveredItem[]): { readonly covered: number; readonly wanted: number } => ({
  covered: items.filter((x) => x.item.hasCome).length,
  wanted: items.filter((x) => x.gap !== 'dead' && x.gap !== 'excused').length,
});

/** Another mark says that the element has changed since something was said of it. */
export const elementMark = (project: Project, item: Item): string => markAt(project, addressOf(item));
/** Of the element at an address, or of the nearest it stands in. */
export const markAt = (project: Project, address: string): string => {
  const { byAddress } = elementIndex(project);
  for (let at = address; at !== ''; at = at.slice(0, Math.max(0, at.lastIndexOf('/')))) {
    const found = byAddress.get(at);
    if (found) return found.mark;
  }
  return '';
};

/** Begins the key of a small change of the model: one that no case notices can be excused as well (core/proof/mutants.ts). */
export const mutantPrefix = 'change|';

const isDead = (p: Problem): boolean => p.code === 'unreachable' || p.code === 'never-fires';

const wordsIn = (item: Item, { came }: { readonly came: Came }): readonly number[] => came.words[item.of.key] ?? [];

function covers(item: Item, c: { readonly came: Came; readonly points: ReadonlySet<string> }): boolean {
  const words = wordsIn(item, c);
  switch (item.kind) {
    case 'way':
      return words.includes(item.number);
    case 'outcome': {
      const { tree } = item.of as Decision;
      return tree !== undefined && words.some((w) => outcomeOf(tree, w) === (item.number === 1));
    }
    case 'condition':
      // what one case sees and what another does may show it together
      return item.pair !== undefined && item.pair.words.some((w) => words.includes(w));
    default:
      return c.points.has(item.key);
  }
}

/** Why no run can cover it; undefined where one may. */
function deadText(item: Item): string | undefined {
  if (item.kind !== 'condition' && item.kind !== 'outcome') return undefined;
  const d = item.of as Decision;
  if (!d.tree || d.conditions.length > 12) return undefined;
  const tree = d.tree;
  const possible = canBe(d.conditions);
  if (item.kind === 'outcome') {
    for (let w = 0; w < 2 ** d.conditions.length; w++)
      if (possible(w) && outcomeOf(tree, w) === (item.number === 1)) return undefined;
    return `whatever its conditions are, ${d.text} is ${item.number !== 1}`;
  }
  return missingWords(tree, d.conditions.length, item.number, [], possible) === undefined
    ? `whatever the others are, ${d.conditions[item.number]} decides nothing`
    : undefined;
}

/** What would have to come up. */
function missingText(item: Item, cases: readonly { readonly came: Came }[]): string {
  switch (item.kind) {
    case 'entered':
      return 'no case goes there';
    case 'left':
      return 'no case leaves it';
    case 'taken':
      return 'no case takes it';
    case 'trigger':
      return 'it never came first';
    case 'rounds':
      return 'it was never gone through so often';
    case 'way':
      return 'it never came to that';
    case 'outcome':
      return wordsOf(item, cases).length === 0 ? 'it was never asked' : `it was never ${item.number === 1}`;
    case 'condition': {
      const d = item.of as Decision;
      const words = wordsOf(item, cases);
      const missing = d.tree && missingWords(d.tree, d.conditions.length, item.number, words, canBe(d.conditions));
      if (!missing) return 'no two values seen show it';
      return `missing: ${missing.map((w) => wordText(d, w)).join('; and ')}`;
    }
  }
}
const wordsOf = (item: Item, cases: readonly { readonly came: Came }[]): readonly number[] => [
  ...new Set(cases.flatMap((c) => wordsIn(item, c))),
];

/** The conditions of a word, as one says them. */
export const wordText = ({ conditions }: Decision, word: number): string =>
  conditions.map((c, k) => (((word >>> k) & 1) === 1 ? c : `not (${c})`)).join(', ');

/** A requirement is proved by cases that come through what it is about. */
function suspiciousNeeds(
  project: Project,
  all: readonly CoveredItem[],
  cases: readonly CaseCame[],
): CoverageReport['suspicious'] {
  const links = linkIndex(project);
  const caseOf = new Map(cases.map(({ of }) => [`case/${of.id}`, of]));
  return project.requirements.flatMap((r) => {
    const own = (links.ofRequirement.get(r.id) ?? []).filter((l) => l.state !== 'broken');
    const tried = own.flatMap((l) => caseOf.get(l.link.element) ?? []);
    const about = own.map((l) => l.link.element).filter((a) => /^type\//.test(a));
    const items = all.filter((x) => about.some((a) => `${addressOf(x.item)}/`.startsWith(`${a}/`)));
    if (tried.length === 0 || items.length === 0) return [];
    if (items.some((x) => x.by.some((c) => tried.includes(c)))) return [];
    return [
      {
        key: r.key,
        message: `its cases (${tried.map((c) => c.name).join(', ')}) come through nothing of what it is linked to`,
      },
    ];
  });
}
