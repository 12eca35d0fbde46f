import { tubeCapper as capper } from '../../samples/tube-capper';
import fc from 'fast-check';
import { parseExpressionText } from '../language/parse';
import { printExpression } from '../language/print';
import { applyEdit } from '../editing/edits';
import { newCase, newType, type PartType, type Project } from '../project/project';
import { messages } from '../testing/random-charts';
import { chart, projectOf, quantity, state, transition } from '../testing/run-project';
import { mutantsOf, type Mutant } from './mutants';
import { passesAsItIs, strengthOf, suiteOf, tryMutant } from './strength';

/** Software that counts messages up to a limit, and says when it is there. */
function counter(script: string, guard = 'n >= limit and on'): Project {
  const type: PartType = {
    ...newType('t-ctrl', 'Counter'),
    software: "0.01 's'",
    ports: [{ id: 'p', name: 'in', accepts: messages, sends: [], note: '' }],
    quantities: [
      quantity('on', 'true', { role: 'input', type: 'Boolean' }),
      quantity('limit', '3', { role: 'parameter', type: 'Integer' }),
      quantity('n', '0', { type: 'Integer' }),
      quantity('full', 'false', { role: 'output', type: 'Boolean' }),
    ],
    charts: [
      chart(
        'mode',
        [state('Empty'), state('Full', { entry: 'full := true;' })],
        [
          transition('Empty', '', `message ${message}`, { effect: 'n := n + 1;' }),
          transition('Empty', 'Full', `when ${guard}`, { effect: 'n := 0;' }),
        ],
      ),
    ],
  };
  const project = projectOf({});
  return {
    ...project,
    types: [...project.types, type],
    cases: [{ ...newCase('k', 'count'), alone: type.id, stop: 1, script }],
  };
}
const message = messages[0];

describe('changes of behaviour', () => {
  const all = mutantsOf(capper);
  test('each is another document that can be read, and none comes twice', () => {
    expect(all.length).toBeGreaterThan(250);
    expect(new Set(all.map((m) => m.key)).size).toBe(all.length);
    const texts = new Set<string>();
    for (const m of all) {
      const { project, refused } = applyEdit(capper, m.edit);
      expect(refused).toBeUndefined();
      expect(project).not.toEqual(capper);
      texts.add(JSON.stringify(project.types));
    }
    expect(texts.size).toBe(all.length);
  });

  test('a change changes what it says, and nothing else', () => {
    for (const m of all) {
      if (!m.span) continue;
      const { project } = applyEdit(capper, m.edit);
      const [before, after] = [capper, project].map((p) => JSON.stringify(p));
      const next = `${m.text.slice(0, m.span.start)}${m.to}${m.text.slice(m.span.end)}`;
      const quoted = (s: string): string => JSON.stringify(s).slice(1, -1);
      expect(before.length - after.length).toBe(quoted(m.text).length - quoted(next).length);
      expect(after).toContain(quoted(next));
    }
  });

  test('of a guard: its boundary, the other way round, each term left out', () => {
    const of = mutantsOf(counter('')).filter((m) => m.span && m.text.includes('limit'));
    expect(of.map((m) => `${m.text.slice(0, m.span!.start)}${m.to}${m.text.slice(m.span!.end)}`).sort()).toEqual([
      '(n >= limit)',
      '(on)',
      'n < limit and on',
      'n > limit and on',
      'n >= limit or on',
    ]);
  });

  test('whatever brackets stand around terms, what comes of them can be read, and says what it is to', () => {
    const leaf = fc.constantFrom('on', 'n > 1', '(n <= limit)', 'not on', 'not (on)', '((n)) - (1 + n) == 2', 'true');
    const { tree } = fc.letrec<{ tree: string }>((tie) => ({
      tree: fc.oneof(
        { maxDepth: 3 },
        leaf,
        fc
          .tuple(
            tie('tree'),
            fc.constantFrom(' and ', ' or ', ' and\n', ' or  '),
            tie('tree'),
            fc.boolean(),
            fc.boolean(),
          )
          .map(([a, op, b, x, y]) => `${x ? `(${a})` : a}${op}${y ? `( ${b} )` : b}`),
      ),
    }));
    fc.assert(
      fc.property(tree, (guard) => {
        const of = mutantsOf(counter('', guard)).filter((m) => m.text === guard && m.span);
        expect(of.length).toBeGreaterThan(guard === 'on' ? -1 : 0);
        for (const m of of) {
          const next = `${guard.slice(0, m.span!.start)}${m.to}${guard.slice(m.span!.end)}`;
          const { value, problems } = parseExpressionText(next);
          expect([next, problems]).toEqual([next, []]);
          expect(printExpression(value)).not.toBe(printExpression(parseExpressionText(guard).value));
        }
      }),
      { numRuns: 200 },
    );
  });

  test('they are the same changes, by the same keys, however the rest of the document changes', () => {
    const { project } = applyEdit(capper, { kind: 'project', changes: { note: 'another' } });
    expect(mutantsOf(project).map((m) => m.key)).toEqual(all.map((m) => m.key));
    expect(new Set(mutantsOf(capper, new Set(['t-beltdrive'])).map((m) => m.typeId))).toEqual(new Set(['t-beltdrive']));
  });
});

describe('what cases notice', () => {
  const verdicts = (project: Project) => {
    const suite = suiteOf(project.cases, true);
    expect(suite.map((c) => passesAsItIs(project, c))).toEqual(suite.map(() => true));
    return new Map(mutantsOf(project).map((m) => [said(m), tryMutant(project, m, suite)]));
  };
  const said = (m: Mutant): string =>
    m.span ? `${m.text.slice(0, m.span.start)}${m.to}${m.text.slice(m.span.end)}` : `without ${m.from}`;
  const three = 'send M; wait 0.05 s; send M; wait 0.05 s; expect not full; send M; wait 0.05 s; expect full';

  test('a case that looks on both sides of a boundary notices it; one that looks at nothing notices nothing', () => {
    const strict = verdicts(counter(script(three)));
    expect(strict.get('n > limit and on')?.verdict).toBe('noticed');
    expect(strict.get('n < limit and on')?.verdict).toBe('noticed');
    expect(strict.get('(on)')?.verdict).toBe('noticed');
    // `on` is true all the time
    expect(strict.get('(n >= limit)')?.verdict).toBe('unnoticed');
    // nobody looks at the count afterwards
    expect(strict.get('n := 1;')?.verdict).toBe('unnoticed');
    expect(strict.get('full := false;')?.verdict).toBe('noticed');
    expect(strict.get('4')?.verdict).toBe('noticed');
    const blind = verdicts(counter(script('send M; wait 0.05 s; expect not full')));
    expect(blind.get('n > limit and on')?.verdict).toBe('unnoticed');
    expect([...blind.values()].some((o) => o.verdict === 'unnoticed')).toBe(true);
  });

  test('changes that are the same thing in other words are never noticed', () => {
    // counted up one by one, it is at 3 before it is above 3: `==` and `>=` are the same
    const same = verdicts(counter(script(three), 'n == limit and on'));
    expect(same.get('n <> limit and on')?.verdict).toBe('noticed');
    const equal = counter(script(three), 'n >= limit and (on or not on)');
    expect(verdicts(equal).get('(n >= limit)')?.verdict).toBe('unnoticed');
  });

  test('what does not hold together counts for nothing; what a case cannot be given any more is noticed', () => {
    const project = counter(script(three));
    const outcomes = verdicts(project);
    // nothing waits for the message that the case sends
    const gone = [...outcomes].find(([k]) => k.startsWith('without in Empty'));
    expect(gone?.[1].verdict).toBe('noticed');
    const { of, noticed, unnoticed } = strengthOf([...outcomes.values()].map((o) => o.verdict));
    expect(of).toBe(noticed + unnoticed);
    expect(of).toBeLessThanOrEqual(outcomes.size);
    const broken: Mutant = { ...mutantsOf(project)[0], edit: { kind: 'remove', list: 'type', id: 'gone' } };
    expect(tryMutant(project, broken, project.cases).verdict).toBe('no model');
  });

  test('a case that does not run what is changed does not look', () => {
    const panel = mutantsOf(capper, new Set(['t-operatorpanel']))[0];
    const ran: string[] = [];
    const suite = suiteOf(capper.cases, false).map((c) => ({
      ...c,
      get script() {
        ran.push(c.alone);
        return c.script;
      },
    }));
    tryMutant(capper, panel, suite);
    expect(new Set(ran)).toEqual(new Set(['t-operatorpanel']));
    const guard = mutantsOf(capper, new Set(['t-guardswitch']))[0];
    const outcome = tryMutant(capper, guard, suiteOf(capper.cases, false));
    expect(outcome).toEqual({ verdict: 'unnoticed', by: '', why: 'no case that looks runs it' });
  });

  test('it can be given up', () => {
    const project = counter(script(three));
    expect(tryMutant(project, mutantsOf(project)[0], project.cases, () => false).verdict).toBe('not tried');
  });

  test('cases of parts alone look first, those of setups where they are asked for', () => {
    expect(suiteOf(capper.cases, false).every((c) => c.alone !== '')).toBe(true);
    const all = suiteOf(capper.cases, true);
    expect(all).toHaveLength(capper.cases.length);
    expect(all.findIndex((c) => c.alone === '')).toBe(suiteOf(capper.cases, false).length);
  });
});

const script = (lines: string): string =>
  lines.replaceAll(/(\d) s\b/g, "$1 's'").replaceAll('send M', `send ${message}`);

test('of the demo: a case tells what counts to the batch, and none the spare of its count', () => {
  const of = mutantsOf(capper).filter((m) => m.text.includes('batchSize + counterSlip') && m.span);
  const suite = suiteOf(capper.cases, false).filter((c) => c.name === 'Batches are counted');
  const outcome = new Map(of.map((m) => [`${m.from} ${m.to}`, tryMutant(capper, m, suite).verdict]));
  expect(outcome.get('>= >')).toBe('noticed');
  expect(outcome.get('>= <')).toBe('noticed');
  expect(outcome.get('+ -')).toBe('unnoticed');
});
