import { readScript } from './read-script';
import { createScriptRun, type ScriptAction, type ScriptReport, type ScriptState } from './script-run';

/** Scripts as they are read, and as they go along with values over time. */

const told = (script: string): readonly string[] => {
  const { problems } = readScript(script);
  return problems.map((p) => `${script.slice(p.span!.start, p.span!.end)} | ${p.message}`);
};

test('lines, semicolons and notes; spans are those of the text', () => {
  const script =
    'start\n  send ctrl.start(level = 3, isNew = true); wait 20 ms // a note; set x = 1\n\nexpect x < (1; 2)';
  const { steps, problems } = readScript(script);
  expect(steps.map((s) => [s.line, s.kind, script.slice(s.start, s.end)])).toEqual([
    [1, 'send', 'send ctrl.start(level = 3, isNew = true)'],
    [1, 'wait', 'wait 20 ms'],
  ]);
  expect(steps[0]).toMatchObject({
    target: 'ctrl.start',
    args: [
      { name: 'level', value: 3 },
      { name: 'isNew', value: 1 },
    ],
  });
  expect(steps[1]).toMatchObject({ seconds: 0.02 });
  expect(problems.length).toBeGreaterThan(0);
  expect(problems.every((p) => p.span!.start >= script.indexOf('expect'))).toBe(true);
});

test('words of a bound are those outside of brackets, the last of them', () => {
  const { steps, conditions, problems } = readScript(
    "wait until in(ctrl.mode.Ready) within 2 's'\nexpect (a < 1) and b for 500 ms\nexpect c always\nexpect d > 2 'N.m'\nexpect e now",
  );
  expect(problems).toEqual([]);
  expect(
    steps.map((s) => (s.kind === 'expect' ? [s.way, s.seconds] : s.kind === 'waitUntil' ? [s.within] : [])),
  ).toEqual([[2], ['for', 0.5], ['always', 0], ['now', 0], ['now', 0]]);
  expect(conditions.map((c) => c.text)).toEqual(['in(ctrl.mode.Ready)', '(a < 1) and b', 'c', "d > 2 'N.m'", 'e']);
});

test.each([
  ['stop', /stop \| This is no line of a script: those begin with wait, set, send, expect, repeat or if/],
  ['wait', /A time is missing, such as 2 's'/],
  ['wait long', /long \| long is no time/],
  ["wait -2 's'", /-2 's' \| -2 's' is no time/],
  ['wait until x within soon', /soon \| soon is no time/],
  ['wait until', /A condition is missing/],
  ['set x', /set gives something a value/],
  ['set 3 = x', /3 names no quantity/],
  ['set x =', /x is given no value/],
  ['send', /Nothing names no message/],
  ['send a b', /a b names no message/],
  ['send a.b(level)', /level is not what a message brings/],
  ['send a.b(level = much)', /level = much is not what a message brings/],
  ['expect x always 3', /3 \| Nothing stands behind always/],
  ['expect', /A condition is missing/],
  ['expect x <', /./],
  ['repeat 0\nend', /repeat is followed by how often/],
  ['repeat 2', /repeat 2 \| This repeat has no end/],
  ['if x', /This if has no end/],
  ['end', /There is nothing that this ends/],
  ['else', /There is no if before this else/],
  ['repeat 2\nelse\nend', /There is no if before this else/],
  ['wait 1 s\nstart', /start stands at the beginning/],
  ['end of it', /end stands alone/],
])('what is not understood is told at its place: %s', (script, message) => {
  expect(told(script).join('\n')).toMatch(message);
});

/** Goes a script along with conditions that hold in spans of time, looked at wherever one of them begins or ends, or the script wants to. */
function gone(
  text: string,
  holds: Readonly<Record<string, readonly (readonly [from: number, to: number])[]>> = {},
  stop = 10,
): { readonly report: ScriptReport; readonly actions: readonly (readonly [number, string])[] } {
  const script = readScript(text);
  expect(script.problems).toEqual([]);
  const actions: (readonly [number, string])[] = [];
  const edges = Object.values(holds).flat(2);
  let state: ScriptState | undefined;
  let time = 0;
  for (;;) {
    // made anew around a copy of what it remembers, at every moment
    const run = createScriptRun(script, state && structuredClone(state));
    const world = {
      holds: (k: number): boolean =>
        holds[script.conditions[k].text]?.some(([from, to]) => time >= from && time < to) ?? false,
      says: (): string => '',
    };
    for (let done: readonly ScriptAction[] = run.step(time, world); done.length > 0; done = run.step(time, world))
      actions.push(...done.map((a) => [time, a.target] as const));
    ({ state } = run);
    const next = Math.min(run.nextTime(), ...edges.filter((e) => e > time));
    if (state.endedAt !== undefined || next > stop) return { report: run.report(true), actions };
    time = next;
  }
}
const lines = ({ report }: ReturnType<typeof gone>): readonly string[] =>
  report.lines.map((l) => [l.status, l.time, l.detail].filter((x) => x !== undefined && x !== '').join(' '));

test('goes on where it can, and tells when', () => {
  const all = gone(
    'send a.go\nwait 1 s\nset x = 1; set y = 2\nwait until p within 3 s\nexpect q within 1 s\nexpect r',
    {
      p: [[3, 9]],
      q: [[3.5, 3.7]],
      r: [[3.4, 4]],
    },
  );
  expect(all.report).toMatchObject({ verdict: 'passed', why: '', endedAt: 3.5 });
  expect(all.actions).toEqual([
    [0, 'a.go'],
    [1, 'x'],
    [1, 'y'],
  ]);
  expect(lines(all)).toEqual(['done 0', 'done 1', 'done 1', 'done 3 after 2 s', 'held 3.5 after 0.5 s', 'held 3.5']);
});

test('bounds are met at their end, and missed behind it', () => {
  expect(gone('wait until p within 3 s', { p: [[3, 4]] }).report.verdict).toBe('passed');
  expect(gone('wait until p within 3 s', { p: [[3.001, 4]] }).report).toMatchObject({
    verdict: 'failed',
    failedAt: 3,
    endedAt: 3,
    why: 'line 1: p did not come within 3 s',
  });
  expect(gone('expect p within 3 s', { p: [[3, 4]] }).report.verdict).toBe('passed');
  expect(gone('expect p within 3 s', { p: [[3.001, 4]] }).report.verdict).toBe('failed');
  expect(gone('expect p for 2 s', { p: [[0, 2.001]] }).report.verdict).toBe('passed');
  expect(gone('expect p for 2 s', { p: [[0, 1.999]] }).report).toMatchObject({
    failedAt: 1.999,
    why: 'line 1: p held for 1.999 s only',
  });
});

test('what fails is told, all of it; what is waited for in vain is the end', () => {
  const all = gone('expect p\nexpect q within 1 s\nwait 1 s\nwait until r within 1 s\nset x = 1', { q: [[5, 6]] });
  expect(all.report).toMatchObject({ verdict: 'failed', failedAt: 0, why: 'line 1: p did not hold', endedAt: 3 });
  expect(lines(all)).toEqual([
    'failed 0 p did not hold',
    'failed 1 q did not come within 1 s',
    'done 2',
    'failed 3 r did not come within 1 s',
    'open',
  ]);
  expect(all.actions).toEqual([]);
});

test('what holds always does so from its line to the end of the script, and no longer', () => {
  expect(gone('wait 1 s\nexpect p always\nwait 2 s', { p: [[1, 3.5]] }).report.verdict).toBe('passed');
  expect(lines(gone('wait 1 s\nexpect p always\nwait 2 s', { p: [[1, 2.5]] }))[1]).toBe(
    'failed 2.5 p did not hold any longer',
  );
  // looked at once more at the end
  expect(gone('expect p always\nwait 2 s', { p: [[0, 2]] }).report.verdict).toBe('failed');
  expect(gone('expect p always', { p: [[1, 2]] }).report.verdict).toBe('failed');
});

test('a run that ends before has failed at the line it waited at', () => {
  const all = gone('wait 1 s\nwait until p\nset x = 1', {}, 4);
  expect(all.report).toMatchObject({ verdict: 'failed', why: 'line 2: the run ended at 1 s, before this came' });
  expect(lines(all)[1]).toMatch(/^failed .*The run ended before this came/);
  expect(createScriptRun(readScript('wait 1 s')).report(false).verdict).toBe('running');
});

test('loops and ways', () => {
  const thrice = gone('repeat 3\n  repeat 2\n    send a.go\n  end\n  wait 1 s\nend\nset x = 1');
  expect(thrice.actions.map(([t]) => t)).toEqual([0, 0, 1, 1, 2, 2, 3]);
  expect(thrice.report.lines[2]).toMatchObject({ times: 6 });
  const until = gone('repeat until p\nsend a.go\nwait 1 s\nend', { p: [[2.5, 9]] });
  expect(until.actions.map(([t]) => t)).toEqual([0, 1, 2]);
  const ways = (p: boolean): readonly string[] =>
    gone('if p\nset x = 1\nelse\nset y = 1\nend\nset z = 1', { p: p ? [[0, 1]] : [] }).actions.map(([, x]) => x);
  expect([ways(true), ways(false)]).toEqual([
    ['x', 'z'],
    ['y', 'z'],
  ]);
  expect(gone('if p\nset x = 1\nend\nset z = 1').actions.map(([, x]) => x)).toEqual(['z']);
  expect(gone('repeat until p\nif q\nend\nend').report.why).toMatch(/goes round and round/);
});

test('a failure in one round stays', () => {
  const all = gone('repeat 3\nexpect p\nwait 1 s\nend', {
    p: [
      [0, 0.5],
      [1.5, 9],
    ],
  });
  expect(lines(all)[1]).toBe('failed 1 p did not hold');
  expect(all.report.lines[1].times).toBe(3);
});
