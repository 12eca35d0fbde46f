import { counted } from '../formats/report-html';
import type {
  CaseFact,
  Conclusion,
  Conformity,
  Deviates,
  Evidence,
  Facts,
  Figure,
  JudgedFact,
  OpenPoint,
  RequirementFact,
  RequirementSays,
  TriedFact,
} from './evidence';
import { digestOf } from './digest';

/** What follows from facts, and nothing else: it can be worked out again by whoever has them. */
export function conclude(facts: Facts): Conclusion {
  const requirements = facts.requirements.map((r) => requirementSays(facts, r));
  const outcomes = facts.cases.flatMap((c) => c.tried);
  const count = <T>(all: readonly T[], holds: (x: T) => boolean): number => all.filter(holds).length;
  const [met, notMet, open] = (['met', 'not met', 'open'] as const).map((c) =>
    count(requirements, (r) => r.conformity === c),
  );
  const failed = count(outcomes, (t) => t.verdict === 'failed');
  const without = count(outcomes, (t) => !hasRun(t));
  const isDecided = open + without === 0 && met > 0 && outcomes.length > 0;
  return {
    verdict: notMet + failed > 0 ? 'does not conform' : isDecided ? 'conforms' : 'not decided',
    ...{ met, notMet, open, failed, without },
    exercised: count(requirements, (r) => r.isExercised),
    passed: count(outcomes, (t) => t.verdict === 'passed'),
    covered: facts.coverage.reduce((n, t) => n + t.covered, 0),
    wanted: facts.coverage.reduce((n, t) => n + t.wanted, 0),
    requirements,
    deviations: deviationsIn(facts),
    points: openPoints(facts, requirements),
    signatures: signaturesIn(facts),
  };
}

/** Facts with what follows from them, and the digest of both. */
export function sealed(facts: Facts): Evidence {
  const whole = { ...facts, conclusion: conclude(facts) };
  return { ...whole, sha256: digestOf(JSON.stringify(whole)) };
}

const hasRun = (t: TriedFact): boolean => t.verdict === 'passed' || t.verdict === 'failed';

/** Links of a requirement that lead to test cases. */
const casesOf = ({ links, cases }: Facts, requirement: string): readonly CaseFact[] => {
  const linked = new Set(links.flatMap((l) => (l.requirement === requirement ? [l.element] : [])));
  return cases.filter((c) => linked.has(`case/${c.id}`));
};

interface Decided extends Omit<JudgedFact, 'requirement'> {
  readonly case: string;
  readonly stage: string;
}

/** How much is left, as far as it can be compared. */
const size = (x: Figure): number =>
  typeof x === 'number' ? x : x === 'infinite' ? Infinity : x === '-infinite' ? -Infinity : NaN;

/**
 * A requirement is met where something decided it, nothing failed it, and every case that is linked to it ran wherever it was to run, and what it
 * expects came. What is out of date, or could not run, decides nothing.
 */
function requirementSays(facts: Facts, r: RequirementFact): RequirementSays {
  const decided: Decided[] = facts.cases.flatMap((c) =>
    c.tried.flatMap((t) =>
      hasRun(t)
        ? t.judged.flatMap((j) =>
            j.requirement === r.id && j.verdict !== 'undecided' ? [{ ...j, case: c.id, stage: t.stage }] : [],
          )
        : [],
    ),
  );
  if (r.constants && r.constants.verdict !== 'undecided')
    decided.push({ ...r.constants, case: '', stage: 'from constants' });
  const own = casesOf(facts, r.id);
  const least = decided.reduce<Decided | undefined>(
    (best, d) =>
      d.margin !== null && (!best || Number.isNaN(size(d.margin)) || size(d.margin) < size(best.margin)) ? d : best,
    undefined,
  );
  const [holds, fails] = ['holds', 'fails'].map((v) => decided.filter((d) => d.verdict === v).length);
  const { conformity, why } = conformityOf(r, decided, own);
  return {
    id: r.id,
    conformity,
    why,
    margin: least?.margin ?? null,
    unit: least?.unit ?? '',
    case: least?.case ?? '',
    stage: least?.stage ?? '',
    holds,
    fails,
    isExercised: decided.some((d) => d.case !== ''),
    cases: own.map((c) => c.id),
  };
}

function conformityOf(
  r: RequirementFact,
  decided: readonly Decided[],
  own: readonly CaseFact[],
): { readonly conformity: Conformity; readonly why: string } {
  const says = (conformity: Conformity, why: string) => ({ conformity, why });
  const seen = r.observation?.isOfThis ? r.observation : null;
  if (seen?.verdict === 'fails') return says('not met', `seen to fail by ${seen.by} on ${seen.on}`);
  const failing = decided.filter((d) => d.verdict === 'fails');
  if (failing.length > 0) return says('not met', `fails in ${counted(failing.length, 'outcome')}`);
  const tried = own.flatMap((c) => c.tried.map((t) => ({ name: c.name, ...t })));
  const failed = tried.find((t) => t.verdict === 'failed' && !t.isBeside);
  if (failed) return says('not met', `its case ${failed.name} fails (${failed.stage})`);
  const missing = tried.find((t) => !hasRun(t));
  if (missing) return says('open', `its case ${missing.name} ${wordsOf[missing.verdict]} (${missing.stage})`);
  // what was not tried has not passed
  const leftOut = own.find((c) => c.tried.length === 0);
  if (leftOut) return says('open', `its case ${leftOut.name} was left out: it is for none of these stages`);
  if (decided.length > 0) return says('met', `holds in ${counted(decided.length, 'outcome')}`);
  if (seen) return says('met', `seen to hold by ${seen.by} on ${seen.on}`);
  if (r.observation) return says('open', `what ${r.observation.by} signed was another text`);
  if (r.formula === '') return says('open', 'nothing can check it: it has no formula, and nobody has signed for it');
  return says('open', 'no outcome decides it');
}

const wordsOf: Readonly<Record<TriedFact['verdict'], string>> = {
  passed: 'passed',
  failed: 'failed',
  'not run': 'could not run',
  'out of date': 'is out of date',
  'never run': 'was never run',
};

/** Numbers of stages that differ by less than this share of the larger one are the same, up to rounding. */
const same = 1e-9;

/** Cases whose stages do not agree, and of each requirement the case in which its margins are furthest apart. */
function deviationsIn(facts: Facts): readonly Deviates[] {
  const verdicts: Deviates[] = [];
  const furthest = new Map<string, Deviates>();
  for (const c of facts.cases) {
    const ran = c.tried.filter(hasRun);
    if (ran.length < 2) continue;
    if (ran.some((t) => t.verdict !== ran[0].verdict))
      verdicts.push({
        ...{ case: c.id, requirement: '', unit: '', spread: null, isVerdict: true },
        of: ran.map((t) => ({ stage: t.stage, verdict: t.verdict, margin: null })),
      });
    for (const id of new Set(ran.flatMap((t) => t.judged.map((j) => j.requirement)))) {
      const judged = ran.flatMap((t) =>
        t.judged.flatMap((j) => (j.requirement === id ? [{ ...j, stage: t.stage }] : [])),
      );
      if (judged.length < 2) continue;
      const margins = judged.map((j) => size(j.margin)).filter((m) => Number.isFinite(m));
      const spread = margins.length < 2 ? null : Math.max(...margins) - Math.min(...margins);
      const isVerdict = judged.some((j) => j.verdict !== judged[0].verdict);
      const found: Deviates = {
        ...{ case: c.id, requirement: id, unit: judged[0].unit, spread, isVerdict },
        of: judged.map(({ stage, verdict, margin }) => ({ stage, verdict, margin })),
      };
      if (isVerdict) verdicts.push(found);
      else if (
        spread !== null &&
        spread > same * Math.max(...margins.map(Math.abs)) &&
        spread > size(furthest.get(id)?.spread ?? 0)
      )
        furthest.set(id, found);
    }
  }
  return [...verdicts, ...furthest.values()];
}

/** Titles of the parts of a report that points lead to. */
export const parts = {
  tested: 'What was tested',
  coverage: 'Coverage',
  strength: 'Strength',
  problems: 'Problems',
} as const;

function openPoints(facts: Facts, says: readonly RequirementSays[]): readonly OpenPoint[] {
  const points: OpenPoint[] = [];
  const add = (kind: string, text: string, of: string): number => points.push({ kind, text, of });
  const keys = new Map(facts.requirements.map((r) => [r.id, r.key]));
  for (const c of facts.cases) {
    if (c.tried.length === 0) add('case left out', `${c.name} is for none of these stages`, `case/${c.id}`);
    for (const t of c.tried)
      if (t.verdict !== 'passed')
        add(
          t.verdict === 'failed' ? 'case failed' : 'case without outcome',
          `${c.name} (${t.stage}) ${wordsOf[t.verdict]}${t.why ? `: ${t.why}` : ''}`,
          `case/${c.id}`,
        );
  }
  for (const s of says) {
    const key = keys.get(s.id) ?? s.id;
    if (s.conformity !== 'met') add(`requirement ${s.conformity}`, `${key}: ${s.why}`, `requirement/${s.id}`);
    else if (s.margin === 0) add('no margin left', `${key} holds by nothing`, `requirement/${s.id}`);
    if (!s.isExercised && s.conformity === 'met' && s.case === '')
      add('not exercised', `${key} is met without a test case: ${s.stage || s.why}`, `requirement/${s.id}`);
    if (s.cases.length === 0) add('no case', `${key}: no test case is linked to it`, `requirement/${s.id}`);
  }
  for (const l of facts.links)
    if (l.state !== 'sound')
      add(
        'link',
        `${keys.get(l.requirement) ?? 'a requirement'} and ${l.label || 'something'}: ${l.why}`,
        `requirement/${l.requirement}`,
      );
  const needed = new Set(facts.links.map((l) => l.element));
  for (const c of facts.cases)
    if (!needed.has(`case/${c.id}`)) add('case of nothing', `${c.name} is linked to no requirement`, `case/${c.id}`);
  for (const t of facts.coverage) {
    const gaps = t.items.filter((i) => i.gap === 'test' || i.gap === 'need').length;
    if (gaps > 0) add('not come through', `${t.type}: ${counted(gaps, 'gap')}`, parts.coverage);
    for (const i of t.items)
      if (i.gap === 'suspect')
        add(
          'reason out of date',
          `${i.label || t.type}, ${i.text}: what ${i.excuse?.by ?? 'somebody'} said was of another text`,
          parts.coverage,
        );
  }
  for (const s of facts.suspicious) add('cases beside the point', `${s.key}: ${s.message}`, parts.coverage);
  for (const u of facts.strength?.unnoticed ?? [])
    if (u.excuse === '') add('change that no case notices', u.what, parts.strength);
  for (const c of facts.code) if (c.why !== '') add('no code', `${c.type}: ${c.why}`, parts.tested);
  for (const p of facts.problems)
    if (p.severity === 'error') add('error', `${p.where ? `${p.where}: ` : ''}${p.message}`, parts.problems);
  if (facts.requirements.length === 0) add('no requirement', 'nothing is required of it', parts.tested);
  if (facts.cases.length === 0) add('no case', 'there is no test case', parts.tested);
  if (!facts.baseline) add('no baseline', 'nothing frozen is said to be what was tested', parts.tested);
  else if (facts.baseline.differences > 0)
    add(
      'not the baseline',
      `${counted(facts.baseline.differences, 'difference')} to ${facts.baseline.name}`,
      parts.tested,
    );
  if (facts.signed.length === 0) add('not signed', 'nobody has signed for the whole', parts.tested);
  return points;
}

function signaturesIn(facts: Facts): Conclusion['signatures'] {
  const name = new Map(facts.requirements.map((r) => [r.id, r.key]));
  return [
    ...facts.signed.map((s) => ({ ...s, what: 'this evidence', of: parts.tested })),
    ...facts.requirements.flatMap((r) =>
      r.observation
        ? [
            {
              name: r.observation.by,
              words: `${name.get(r.id)} ${r.observation.verdict}${r.observation.note ? `: ${r.observation.note}` : ''}${r.observation.isOfThis ? '' : ' (of another text)'}`,
              on: r.observation.on,
              what: 'an observation',
              of: `requirement/${r.id}`,
            },
          ]
        : [],
    ),
    ...facts.coverage.flatMap((t) =>
      t.items.flatMap((i) =>
        i.excuse
          ? [
              {
                name: i.excuse.by,
                words: `${i.label || t.type}, ${i.text}: ${i.excuse.reason}`,
                on: i.excuse.on,
                what: i.excuse.kind,
                of: parts.coverage,
              },
            ]
          : [],
      ),
    ),
  ];
}
