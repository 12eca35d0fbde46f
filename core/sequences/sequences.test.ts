import fc from 'fast-check';
import type { FlowLine } from '../project/project';
import { newProcedure, newType, type Project } from '../project/project';
import { tubeCapper } from '../../samples/tube-capper';
import { compareSequences } from './compare';
import { derivedPicture } from './derived';
import { writtenPicture, type PictureRow, type SequencePicture } from './picture';
import { secondsOf } from '../lines/sequence-row';
import { readSequence } from './read-sequence';
import { recordedPicture } from './recorded';
import { createSequenceRun, type SeenMessage, type SequenceWorld } from './sequence-run';

const lines = (text: string): FlowLine[] =>
  text
    .split('\n')
    .filter((l) => l.trim() !== '')
    .map((l, k) => ({ id: `l${k}`, depth: /^ */.exec(l)![0].length / 2, text: l.trim() }));

/** Plays messages `time from>to:name` against a written sequence; conditions are looked up in a table. */
function play(text: string, script: readonly string[], values: Record<string, number> = {}, end = 10) {
  const run = createSequenceRun(readSequence(lines(text)));
  const world: SequenceWorld = {
    value: (t) => values[t] ?? (Number.isFinite(Number(t)) ? Number(t) : undefined),
    isIn: (part, state) => values[`${part} in ${state}`] === 1,
  };
  const sent: string[] = [];
  const look = (time: number): void => {
    for (let k = 0; k < 50; k++) {
      const sends = run.step(time, world);
      if (sends.length === 0) return;
      for (const s of sends)
        sent.push(s.kind === 'set' ? `${time} ${s.part} = ${s.value}` : `${time} ${s.part}.${s.message}`);
    }
  };
  look(0);
  for (const row of script) {
    const [, time, from, to, message, arg] = /^(\S+) (\S+)>(\S+):(\w+)(?:\((\S+)\))?$/.exec(row)!;
    for (let t = run.nextTime(); t < Number(time); t = run.nextTime()) look(t);
    const seen: SeenMessage = {
      time: Number(time),
      message,
      from,
      to: [to],
      args: arg ? [{ name: arg.split('=')[0], value: Number(arg.split('=')[1]) }] : [],
    };
    run.message(seen, world);
    look(Number(time));
  }
  for (let t = run.nextTime(); t < end; t = run.nextTime()) look(t);
  look(end);
  const report = run.report(true);
  return { sent, verdict: report.verdict, rows: report.rows.map((r) => r.status), report };
}

test('what comes from outside is sent, the rest is awaited in order', () => {
  const text = 'outside -> ctrl: start\nctrl -> belt: advance\noutside -> ctrl: stop\nctrl -> belt: halt';
  expect(play(text, ['0.1 ctrl>belt:advance', '0.2 ctrl>belt:halt'])).toMatchObject({
    sent: ['0 ctrl.start', '0.1 ctrl.stop'],
    rows: ['sent', 'seen', 'sent', 'seen'],
    verdict: 'passed',
  });
  expect(play(text, ['0.1 ctrl>belt:advance'])).toMatchObject({
    rows: ['sent', 'seen', 'sent', 'not seen'],
    verdict: 'failed',
  });
});
test('other messages in between do not matter; one before its turn is out of order', () => {
  const text = 'a -> b: one\na -> b: two\na -> b: three';
  expect(play(text, ['1 a>c:other', '2 a>b:one', '3 x>b:two', '4 a>b:two', '5 a>b:three'])).toMatchObject({
    verdict: 'passed',
  });
  expect(play(text, ['1 a>b:one', '2 a>b:three', '3 a>b:two'])).toMatchObject({
    rows: ['seen', 'seen', 'out of order'],
    verdict: 'failed',
  });
});
test('bounds: within the row before, of a mark, not before', () => {
  expect(play('a -> b: one; mark m\na -> b: two; within 0.5 s', ['1 a>b:one', '1.5 a>b:two'])).toMatchObject({
    verdict: 'passed',
  });
  expect(play('a -> b: one; mark m\na -> b: two; within 0.5 s', ['1 a>b:one', '1.6 a>b:two'])).toMatchObject({
    rows: ['seen', 'too late'],
    verdict: 'failed',
  });
  expect(
    play('a -> b: one; mark m\nwait 1 s\na -> b: two; within 1200 ms of m', ['1 a>b:one', '2.1 a>b:two']),
  ).toMatchObject({ verdict: 'passed' });
  expect(play('a -> b: one; mark m\na -> b: two; not before 1 s of m', ['1 a>b:one', '1.5 a>b:two'])).toMatchObject({
    rows: ['seen', 'too early'],
  });
  expect(play('a -> b: one; mark m\na -> b: two; within 0.5 s', ['1 a>b:one'])).toMatchObject({
    rows: ['seen', 'too late'],
  });
});
test('arguments are compared', () => {
  expect(play('a -> b: go(level = 2)', ['1 a>b:go(level=2.0000001)'])).toMatchObject({ verdict: 'passed' });
  expect(play('a -> b: go(level = 2)', ['1 a>b:go(level=3)']).report.rows[0]).toMatchObject({
    status: 'other values',
    detail: 'level = 3',
  });
});
test('frames choose by their guards: alt, opt, else', () => {
  const text = 'alt x\n  a -> b: one\nelse if y\n  a -> b: two\nelse\n  a -> b: three\na -> b: end';
  expect(play(text, ['1 a>b:one', '2 a>b:end'], { x: 1, y: 1 })).toMatchObject({
    verdict: 'passed',
    rows: ['seen', 'seen', 'seen', 'skipped', 'seen', 'skipped', 'seen'],
  });
  expect(play(text, ['1 a>b:two', '2 a>b:end'], { x: 0, y: 1 })).toMatchObject({ verdict: 'passed' });
  expect(play(text, ['1 a>b:one', '2 a>b:end'], { x: 0, y: 0 })).toMatchObject({ verdict: 'failed' });
  expect(play('opt x\n  a -> b: one\na -> b: end', ['1 a>b:end'], { x: 0 })).toMatchObject({
    verdict: 'passed',
    rows: ['skipped', 'skipped', 'seen'],
  });
});
test('loops: a number of rounds, none, and the row says how often', () => {
  const text = 'loop 3 times\n  a -> b: one\n  a -> b: two\na -> b: end';
  const rounds = ['1 a>b:one', '2 a>b:two', '3 a>b:one', '4 a>b:two', '5 a>b:one', '6 a>b:two', '7 a>b:end'];
  expect(play(text, rounds)).toMatchObject({ verdict: 'passed' });
  expect(play(text, rounds).report.rows[1].times).toBe(3);
  expect(play(text, rounds.slice(0, 4))).toMatchObject({ verdict: 'failed' });
  expect(play('loop 0 times\n  a -> b: one\na -> b: end', ['1 a>b:end'])).toMatchObject({ verdict: 'passed' });
});
test('lanes of a par may interleave', () => {
  const text =
    'par\n  lane left\n    a -> b: one\n    a -> b: two\n  lane right\n    c -> d: one\n    c -> d: two\na -> b: end';
  expect(play(text, ['1 c>d:one', '2 a>b:one', '3 a>b:two', '4 c>d:two', '5 a>b:end'])).toMatchObject({
    verdict: 'passed',
  });
  expect(play(text, ['1 c>d:one', '2 a>b:one', '3 a>b:two', '5 a>b:end'])).toMatchObject({ verdict: 'failed' });
});
test('inputs are set from outside', () => {
  expect(play('wait 1 s\nset guard.open = true\na -> b: end', ['2 a>b:end'])).toMatchObject({
    sent: ['1 guard.open = 1'],
    verdict: 'passed',
  });
});
test('states and checks are awaited, waits pass', () => {
  expect(
    play('state ctrl: Running\ncheck x > 2\nwait 3 s\na -> b: end', ['5 a>b:end'], {
      'ctrl in Running': 1,
      'x > 2': 1,
    }),
  ).toMatchObject({ verdict: 'passed', rows: ['seen', 'seen', 'seen', 'seen'] });
  expect(play('state ctrl: Running; within 1 s', [], {})).toMatchObject({ rows: ['too late'], verdict: 'failed' });
});
test('any interleaving of a par passes, any message left out does not', () => {
  const text = 'par\n  lane\n    a -> b: l0\n    a -> b: l1\n    a -> b: l2\n  lane\n    c -> d: r0\n    c -> d: r1';
  fc.assert(
    fc.property(fc.shuffledSubarray([0, 0, 0, 1, 1], { minLength: 5, maxLength: 5 }), fc.nat(5), (order, leaveOut) => {
      const next = [0, 0];
      const script = order.map((lane, k) => `${k + 1} ${lane === 0 ? 'a>b:l' : 'c>d:r'}${next[lane]++}`);
      expect(play(text, script).verdict).toBe('passed');
      if (leaveOut < 5)
        expect(
          play(
            text,
            script.filter((_, k) => k !== leaveOut),
          ).verdict,
        ).toBe('failed');
    }),
  );
});
test('what cannot be read is told at its line', () => {
  const { problems } = readSequence(
    lines(
      'outside ctrl start\na -> b: go; whenever\nelse\n  a -> b: x\npar\n  lane one\n    a -> b: y\nstate ctrl\nloop often\n  a -> b: z',
    ),
  );
  expect(problems.map((p) => p.line)).toEqual(['l0', 'l1', 'l2', 'l4', 'l7', 'l8']);
  expect([secondsOf('200 ms'), secondsOf("1.6 's'"), secondsOf('2 min'), secondsOf('soon')]).toEqual([
    0.2,
    1.6,
    120,
    undefined,
  ]);
});

describe('pictures', () => {
  test('a written one has its frames, and what its run said', () => {
    const source = lines('alt x\n  a -> b: one; within 1 s\nelse\n  state a: On\nwait 2 s');
    const { rows, participants } = writtenPicture(source, [{ path: 'a', typeName: 'A' }], 'P', [
      { line: 'l1', status: 'too late', time: 3, times: 1, detail: '' },
    ]);
    expect(rows.map((r) => `${r.kind}${r.depth}`)).toEqual([
      'frame0',
      'message1',
      'branch0',
      'state1',
      'end0',
      'does0',
    ]);
    expect(rows[1]).toMatchObject({ bound: 'within 1 s', time: 3, status: { status: 'too late' } });
    expect(participants).toEqual([
      { id: 'a', label: 'a', typeName: 'A' },
      { id: 'b', label: 'b', typeName: '' },
    ]);
  });
  test('a recorded one hides parts, puts those inside together, and searches', () => {
    const run = {
      parts: [
        { path: '', typeName: 'P' },
        { path: 'a', typeName: 'A' },
        { path: 'a.x', typeName: 'X' },
        { path: 'b', typeName: 'B' },
      ],
      product: 'P',
      messages: [
        { time: 1, step: 1, message: 'go', sender: -1, receivers: [1], args: [], taken: true, kept: false, sent: 1 },
        {
          time: 1,
          step: 3,
          message: 'inner',
          sender: 1,
          receivers: [2],
          args: [{ name: 'n', value: 2 }],
          taken: false,
          kept: false,
          sent: 1,
        },
        { time: 2, step: 1, message: 'out', sender: 2, receivers: [3], args: [], taken: true, kept: false, sent: 2 },
      ],
      transitions: [{ time: 1, step: 2, chart: 0, transition: 0 }],
      charts: [{ part: 'a', targets: ['On'] }],
    };
    const told = (p: SequencePicture): string[] =>
      p.rows.map((r) =>
        r.kind === 'message'
          ? `${r.from}>${r.to}:${r.text} ${r.tone}`
          : r.kind === 'state'
            ? `${r.part}=${r.text}`
            : r.kind,
      );
    expect(told(recordedPicture(run))).toEqual([
      'outside>a:go plain',
      'a=On',
      'a>a.x:inner(n = 2) lost',
      'a.x>b:out plain',
    ]);
    const starting = recordedPicture({
      ...run,
      starts: [
        { part: 'a', states: ['Off'] },
        { part: 'c', states: ['Off'] },
      ],
    });
    expect(starting.rows[0]).toMatchObject({ kind: 'start', part: 'a', text: 'Off', time: 0 });
    expect(starting.rows.filter((r) => r.kind === 'start')).toHaveLength(1);
    expect(told(recordedPicture(run, { collapsed: new Set(['a']) }))).toEqual([
      'outside>a:go plain',
      'a=On',
      'a>b:out plain',
    ]);
    expect(told(recordedPicture(run, { shown: new Set(['outside', 'a']), states: false }))).toEqual([
      'outside>a:go plain',
    ]);
    expect(told(recordedPicture(run, { search: 'OU' }))).toEqual(['a.x>b:out plain']);
  });
  test('a derived one: items between parts, messages along links, frames, what nobody is allotted to', () => {
    const type = {
      ...newType('r', 'Root'),
      parts: [
        { id: 'a', name: 'belt', type: 'tb', changes: [], note: '', place: null },
        { id: 'b', name: 'gripper', type: 'tg', changes: [], note: '', place: null },
      ],
      ports: [{ id: 'o', name: 'orders', accepts: [], sends: ['go'], note: '' }],
      links: [{ id: 'l', from: 'orders', to: 'belt.in', carries: '' }],
    };
    const belt = { ...newType('tb', 'Belt'), ports: [{ id: 'p', name: 'in', accepts: ['go'], sends: [], note: '' }] };
    const project = { ...tubeCapper, root: 'r', types: [type, belt, newType('tg', 'Gripper')] } as Project;
    const procedure = {
      ...newProcedure('p', 'work'),
      lines: lines(
        'send go to orders\nbelt: brings a tube; takes loose tube; gives tube\nif ready\n  gripper: closes; takes tube; uses recipe; gives held tube\nlook at it',
      ),
    };
    const { rows, participants } = derivedPicture(project, type, procedure);
    expect(participants.map((p) => p.id)).toEqual(['outside', 'belt', 'gripper', 'not allotted']);
    expect(
      rows.map((r) =>
        r.kind === 'message' ? `${r.from}>${r.to}:${r.text} ${r.tone}` : `${r.kind} ${'text' in r ? r.text : ''}`,
      ),
    ).toEqual([
      'not allotted>belt:go plain',
      'outside>belt:loose tube item',
      'does brings a tube',
      'frame ready',
      'belt>gripper:tube item',
      'outside>gripper:recipe available',
      'does closes',
      'gripper>outside:held tube item',
      'end ',
      'does look at it',
    ]);
  });
});

describe('comparison', () => {
  const picture = (text: string): SequencePicture => ({
    participants: [],
    rows: text
      .split(' ')
      .filter(Boolean)
      .map((m, k): PictureRow => ({
        kind: 'message',
        id: String(k),
        from: 'a',
        to: 'b',
        text: m,
        time: k,
        tone: 'plain',
        depth: 0,
      })),
  });
  const told = (a: string, b: string): string =>
    compareSequences(picture(a), picture(b))
      .pairs.map((p) => `${p.kind[0]}${((p.a ?? p.b) as { text: string }).text}`)
      .join(' ');
  test('missing, extra and moved rows, and the first difference', () => {
    expect(told('x y z', 'x y z')).toBe('sx sy sz');
    expect(told('x y z', 'x z')).toBe('sx my sz');
    expect(told('x z', 'x y z')).toBe('sx ey sz');
    expect(compareSequences(picture('x y z'), picture('x z y'))).toMatchObject({
      moved: 1,
      missing: 0,
      extra: 0,
      first: 1,
    });
    expect(compareSequences(picture('x y'), picture('w x y')).latest).toBe(1);
  });
  test('the way from one to the other gives both back', () => {
    const word = fc.array(fc.constantFrom('p', 'q', 'r'), { maxLength: 12 });
    fc.assert(
      fc.property(word, word, (a, b) => {
        const { pairs } = compareSequences(picture(a.join(' ')), picture(b.join(' ')));
        const text = (r: PictureRow | undefined): string => (r as { text: string }).text;
        expect(
          pairs.filter((p) => p.kind === 'same' || p.kind === 'missing').map((p) => text(p.a)).length +
            pairs.filter((p) => p.kind === 'moved').length / 2,
        ).toBe(a.length);
        expect(
          pairs.filter((p) => p.kind === 'same' || p.kind === 'extra').length +
            pairs.filter((p) => p.kind === 'moved').length / 2,
        ).toBe(b.length);
        for (const p of pairs) if (p.kind === 'same') expect(text(p.a)).toBe(text(p.b));
      }),
    );
  });
});
