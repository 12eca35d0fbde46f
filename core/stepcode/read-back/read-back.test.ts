import fc from 'fast-check';
import { tubeCapper } from '@/samples/tube-capper';
import { applyEdit } from '../../editing/edits';
import { uniformAt } from '../../numbers/random';
import { typeById, type Project } from '../../project/project';
import { documentTexts } from '../../project/texts';
import { chartOf, messages, randomParts } from '../../testing/random-charts';
import { projectOf, quantity } from '../../testing/run-project';
import { hasCompiler, stepsInC, stepsInJs } from '../../testing/step-bench';
import { stepProgramOf } from '../controller';
import { harnessColumns } from '../write-harness';
import { sourcesOf } from '../write-sources';
import { mergedEdit } from './merged';
import { readBack, type ReadBack } from './read-back';
import { textEdit } from './texts-of';

/** What is changed in the C comes back as a change of the model only where the model then says that very C. */

const capper = tubeCapper.types.find((t) => t.name === 'CapperControl')!;
const sourceOf = (project: Project, id = capper.id, every?: number): string | undefined => {
  const { value } = sourcesOf(project, typeById(project, id)!, every);
  return value && [...value.files].find(([name]) => name.endsWith('.c'))![1];
};
const source = sourceOf(tubeCapper)!;
const taken = (project: Project, { proposals }: ReadBack): Project =>
  proposals.reduce((p, { edit }) => {
    const { project: next, refused } = applyEdit(p, edit);
    expect(refused).toBeUndefined();
    return next;
  }, project);
const edited = (...pairs: readonly (readonly [string, string])[]): string =>
  pairs.reduce((text, [was, is]) => {
    expect(text.split(was)).toHaveLength(2);
    return text.replace(was, () => is);
  }, source);
const short = ({ proposals }: ReadBack): readonly (readonly [string, string, string])[] =>
  proposals.map((p) => [p.label, p.was, p.becomes]);

test('what is as it was written says nothing, however it stands there', () => {
  expect(readBack(tubeCapper, capper, source)).toEqual({ proposals: [], complaints: [] });
  const loose = source
    .replace(/\n\s*/g, (space) => (space.includes('\n') ? '\r\n' : space))
    .replace(/\(state->mode_after_Off == 0\)/, 'state->mode_after_Off==0');
  expect(readBack(tubeCapper, capper, loose)).toEqual({ proposals: [], complaints: [] });
});

const holds = 'abs(torque - pressTorque) < 0.05*pressTorque and abs(speed) < 0.25';
test.each<[string, readonly (readonly [string, string])[], readonly (readonly [string, string, string])[]]>([
  [
    'a number',
    [['0.05f * state', '0.1f * state']],
    [['transition Press to Hold', holds, holds.replace('0.05', '0.1')]],
  ],
  [
    'a comparison',
    [['fabsf(in->speed) < 0.25f', 'fabsf(in->speed) <= 0.25f']],
    [['transition Press to Hold', holds, holds.replace('< 0.25', '<= 0.25')]],
  ],
  [
    'two changes of one text',
    [
      ['0.05f * state', '0.1f * state'],
      ['fabsf(in->speed) < 0.25f', 'fabsf(in->speed) < 0.5f'],
    ],
    [['transition Press to Hold', holds, holds.replace('0.05', '0.1').replace('0.25', '0.5')]],
  ],
  [
    'a condition that has come, one that has gone',
    [[' && (fabsf(in->speed) < 0.25f)', '']],
    [['transition Press to Hold', holds, 'abs(torque - pressTorque) < 0.05*pressTorque']],
  ],
  [
    'a time in steps, in the unit that it had',
    [['mode_after_Off = 50;', 'mode_after_Off = 80;']],
    [['transition Off to Homing', "0.05 's'", "0.08 's'"]],
  ],
  [
    'a guard where there was none',
    [
      [
        'if (event == CapperControl_Event_start) {',
        'if ((event == CapperControl_Event_start) && (in->temperature < 300.0f)) {',
      ],
    ],
    [['transition Ready to Running', '', 'temperature < 300']],
  ],
  [
    'a statement more',
    [
      [
        'CapperControl_Mode_Clamp;\n    out->newCap',
        'CapperControl_Mode_Clamp;\n    state->engage = false;\n    out->newCap',
      ],
    ],
    [
      [
        'entry state Clamp',
        'send newCap to toCap;\nsend close to toGripper;',
        'engage := false;\nsend newCap to toCap;\nsend close to toGripper;',
      ],
    ],
  ],
  [
    'a message more, to where it goes otherwise',
    [['state->mode = CapperControl_Mode_Homing;\n', 'state->mode = CapperControl_Mode_Homing;\n    out->halt += 1;\n']],
    [['entry state Homing', '', 'send halt to toBelt;']],
  ],
  ['a statement less', [['    state->engage = true;\n', '']], [['entry state Turning', 'engage := true;', '']]],
  [
    'another order',
    [['    out->halt += 1;\n    out->fault += 1;', '    out->fault += 1;\n    out->halt += 1;']],
    [
      [
        'entry state Fault',
        'send halt to toBelt;\nsend fault to toPanel;',
        'send fault to toPanel;\nsend halt to toBelt;',
      ],
    ],
  ],
  [
    'a formula of the physics text, other words of which stay',
    [['in->angle / 6.2831855f', 'in->angle / 3.1415927f']],
    [
      [
        'physics of CapperControl',
        'turns = angle/(2*3.141592653589793);\nlamp = in(service.Lit) or in(service.Flash);\n',
        'turns = angle/3.1415927;\nlamp = in(service.Lit) or in(service.Flash);\n',
      ],
    ],
  ],
])('%s', (_, pairs, expected) => {
  const found = readBack(tubeCapper, capper, edited(...pairs));
  expect(short(found)).toEqual(expected);
  expect(found.complaints).toEqual([]);
  // written anew it is what was read
  expect(readBack(taken(tubeCapper, found), capper, edited(...pairs)).proposals).toEqual([]);
});

test('a time comes back in the unit it was written in, a value in that of its quantity', () => {
  const change = (project: Project, was: string, is: string): Project => {
    const [text] = documentTexts(project).filter((t) => t.text === was && t.place.includes(capper.id));
    return applyEdit(project, textEdit(project, text.place, is)!).project;
  };
  const project = change(tubeCapper, "0.05 's'", "50 'ms'");
  expect(sourceOf(project)).toBe(source);
  const found = readBack(project, capper, edited(['mode_after_Off = 50;', 'mode_after_Off = 1500;']));
  expect(short(found)).toEqual([['transition Off to Homing', "50 'ms'", "1500 'ms'"]]);
  const inMinutes = change(tubeCapper, "0.05 's'", "0.01 'min'");
  const text = sourceOf(inMinutes)!.replace('mode_after_Off = 600;', 'mode_after_Off = 900;');
  expect(short(readBack(inMinutes, typeById(inMinutes, capper.id)!, text))).toEqual([
    ['transition Off to Homing', "0.01 'min'", "0.015 'min'"],
  ]);
});

test('powers and formulas of numbers are what they come to', () => {
  const project = projectOf({
    software: "0.001 's'",
    quantities: [quantity('u', '0', { role: 'input' }), quantity('y', '0', { role: 'output' })],
    physics: 'y = u^3 + 2^5*u;',
  });
  const type = project.types.find((t) => t.software !== '')!;
  const text = sourceOf(project, type.id)!;
  expect(text).toContain('32.0f');
  const found = readBack(project, type, text.replace('32.0f', '16.0f'));
  expect(short(found)).toEqual([[expect.stringContaining('physics'), 'y = u^3 + 2^5*u;', 'y = u^3 + 16*u;']]);
});

test.each<[string, readonly [string, string], string, string]>([
  [
    'a number in double precision',
    ['0.05f * state', '0.05 * state'],
    '0.05 is a number in double precision, and would be worked with as one: write 0.05f',
    'x-10',
  ],
  [
    'what is no quantity',
    ['> state->param.hottest', '> state->hotest'],
    'state->hotest is no quantity of the model',
    'x-17',
  ],
  ['a function of C', ['fabsf(in->speed)', 'fabs(in->speed)'], 'fabs is no function of the model', 'x-10'],
  [
    'what the checks of the model refuse',
    ['> state->param.hottest', '> (state->param.hottest * 2.0f)'],
    'In the model this would be wrong: hottest * 2 is neither a temperature nor a difference of two',
    'x-17',
  ],
  [
    'where a transition leads',
    [
      '    if (event == CapperControl_Event_start) {\n        mode_leave(state, CapperControl_Mode_None);\n        out->advance += 1;\n        mode_start_Running(state);',
      '    if (event == CapperControl_Event_start) {\n        mode_leave(state, CapperControl_Mode_None);\n        out->advance += 1;\n        mode_enter_Homing(state);',
    ],
    'What is called where follows from the model',
    's-running',
  ],
  [
    'two messages at once',
    ['    out->ready += 1;', '    out->ready += 2;'],
    'A message is sent once: out->ready += 1',
    's-ready',
  ],
  ['a loop', ['    out->ready += 1;', '    for (;;) { }'], '"for" has no counterpart in the model', ''],
])('%s is not taken over, and told at its line', (_, [was, is], message, element) => {
  const text = edited([was, is]);
  const { proposals, complaints } = readBack(tubeCapper, capper, text);
  expect(proposals).toEqual([]);
  expect(complaints).toHaveLength(1);
  expect(complaints[0].message).toContain(message);
  // the line is one of those that were changed
  const [rows, before] = [text.split('\n'), source.split('\n')];
  expect(rows[complaints[0].line - 1]).not.toBe(before[complaints[0].line - 1]);
  expect(complaints[0].element ?? '').toMatch(new RegExp(`${element}$`));
});

test('what is understood comes back beside what is not', () => {
  const { proposals, complaints } = readBack(
    tubeCapper,
    capper,
    edited(['mode_after_Off = 50;', 'mode_after_Off = 70;'], ['fabsf(in->speed)', 'fabs(in->speed)']).replace(
      'state->engage = true;',
      'state->engage = (true;',
    ),
  );
  expect(short({ proposals, complaints })).toEqual([['transition Off to Homing', "0.05 's'", "0.07 's'"]]);
  expect(complaints.map((c) => c.message)).toEqual([
    '";" stands where ")" is expected',
    'fabs is no function of the model',
  ]);
});

test('a message that goes to several receivers is one counter in C: where it goes is not guessed', () => {
  const two = {
    ...tubeCapper,
    types: tubeCapper.types.map((t) =>
      t !== capper
        ? t
        : {
            ...t,
            ports: t.ports.map((p) => (p.name === 'toPanel' ? { ...p, sends: [...p.sends, 'halt'] } : p)),
            charts: t.charts.map((c) => ({
              ...c,
              states: c.states.map((s) =>
                s.name === 'Stopped'
                  ? { ...s, entry: 'send halt to toBelt;\nguardShut := false;\nsend halt to toPanel;' }
                  : s,
              ),
            })),
          },
    ),
  };
  const type = typeById(two, capper.id)!;
  const text = sourceOf(two)!;
  const enters = 'state->mode = CapperControl_Mode_Stopped;\n    out->halt += 1;\n';
  expect(text.split(enters)).toHaveLength(2);
  const less = readBack(two, type, text.replace(enters, enters.replace('    out->halt += 1;\n', '')));
  expect([less.proposals, less.complaints.map((c) => c.message)]).toEqual([
    [],
    ['Which of several receivers this message goes to the C does not say: it is changed in the model'],
  ]);
  const at = 'state->mode = CapperControl_Mode_Homing;\n';
  const more = readBack(two, type, text.replace(at, `${at}    out->halt += 1;\n`));
  expect([more.proposals, more.complaints.map((c) => c.message)]).toEqual([
    [],
    ['halt goes to toBelt or toPanel, which the C does not say: it is sent in the model'],
  ]);
});

test.each([
  ['nothing', ''],
  ['bytes', String.fromCharCode(...Array.from({ length: 3000 }, (_, k) => (k * 37) % 256))],
  ['a header', '#ifndef A\n#define A\ntypedef struct { int a; } X;\n#endif\n'],
  ['another program', 'int main(void)\n{\n    return 0;\n}\n'],
  ['helpers alone', source.slice(0, source.indexOf('static void mode_enter_Off'))],
])('%s is no source of it, which is said once', (_, text) => {
  expect(readBack(tubeCapper, capper, text)).toEqual({
    proposals: [],
    complaints: [{ line: 1, message: 'None of the functions of CapperControl is in this text' }],
  });
});
test('a source that is cut off anywhere says what is missing, and takes nothing over', () => {
  for (const share of [0.3, 0.5, 0.7, 0.95]) {
    const { proposals, complaints } = readBack(tubeCapper, capper, source.slice(0, Math.floor(source.length * share)));
    expect(proposals).toEqual([]);
    expect(complaints.some((c) => / is gone: | has no end: /.test(c.message))).toBe(true);
  }
});

test('own text is kept between its marks, and comes back', () => {
  const own = source
    .replace('/* End of own includes. */', '#include "our_log.h"\n/* End of own includes. */')
    .replace(
      '/* End of own functions. */',
      '\nvoid capper_task(void)\n{\n    for (;;) { goto nowhere; }\n}\n/* End of own functions. */',
    );
  const found = readBack(tubeCapper, capper, own.replace('state->engage = true;\n', 'state->engage = false;\n'));
  expect(found.complaints).toEqual([]);
  expect(short(found).map(([label, , becomes]) => [label, becomes])).toEqual([
    ['own includes of CapperControl', '#include "our_log.h"'],
    ['entry state Turning', 'engage := false;'],
    ['own functions of CapperControl', '\nvoid capper_task(void)\n{\n    for (;;) { goto nowhere; }\n}'],
  ]);
  const next = taken(tubeCapper, found);
  expect(sourceOf(next)).toBe(own.replace('state->engage = true;\n', 'state->engage = false;\n'));
  // and stays where the model is changed
  const [speed] = documentTexts(next).filter((t) => t.text === "0.05 's'" && t.place.includes(capper.id));
  const after = applyEdit(next, textEdit(next, speed.place, "0.06 's'")!).project;
  expect(sourceOf(after)).toContain('goto nowhere');
  // outside of the marks it is told, and without them what is known stays
  const outside = readBack(
    next,
    capper,
    `${sourceOf(next)!}\nstatic int32_t more(void)\n{\n    return 1;\n}\n// why\n`,
  );
  expect(outside.complaints.map((c) => c.message)).toEqual([
    'more is a function of its own: it is kept in the region for own functions',
    'This comment is not kept: it belongs into a note in the model',
  ]);
  const without = readBack(
    next,
    typeById(next, capper.id)!,
    sourceOf(next)!.replace('/* End of own functions. */', ''),
  );
  expect(without.proposals).toEqual([]);
  expect(without.complaints[0].message).toContain('The marks of the own functions are not there');
  // nor where a mark is there twice: what lies between them would be anybody's guess
  const twice = sourceOf(next)!.replace(/\/\* End of own functions. \*\/\n?$/, (mark) => `${mark.trim()}\n${mark}`);
  expect(readBack(next, typeById(next, capper.id)!, twice).proposals).toEqual([]);
});

test('an edit of what was written before the model went on is put into what it is now', () => {
  const [text] = documentTexts(tubeCapper).filter((t) => t.text === "0.1 's'" && t.place.includes(capper.id));
  const next = applyEdit(tubeCapper, textEdit(tubeCapper, text.place, "0.2 's'")!).project;
  const now = sourceOf(next)!;
  expect(now).not.toBe(source);
  const mine = edited(['fabsf(in->speed) < 0.25f', 'fabsf(in->speed) < 0.5f']);
  const { text: merged, complaints } = mergedEdit(source, mine, now);
  expect(complaints).toEqual([]);
  // what the model has come to since is not undone
  expect(short(readBack(next, typeById(next, capper.id)!, merged))).toEqual([
    ['transition Press to Hold', holds, holds.replace('0.25', '0.5')],
  ]);
  // both at the same line: the edit stands, and it is told
  const both = mergedEdit(source, source.replace('mode_after_Homing = 100;', 'mode_after_Homing = 300;'), now);
  expect(both.complaints).toEqual([
    {
      line: expect.any(Number) as number,
      message: expect.stringContaining('state->mode_after_Homing = 200;') as string,
    },
  ]);
  expect(both.text.split('\n')[both.complaints[0].line - 1]).toContain('= 300;');
});

/** Edits of C that somebody could make, by a place and a kind. */
function randomEdit(text: string, seed: number): string {
  const first = text.indexOf('mode_enter_Off');
  const rows = text.split('\n');
  const start = text.slice(0, first).split('\n').length;
  for (let k = 0; k < 200; k++) {
    const at = start + Math.floor(uniformAt(seed, k, 1) * (rows.length - start));
    const row = rows[at];
    const way = Math.floor(uniformAt(seed, k, 2) * 5);
    const is = [
      () => row.replace(/(\d+\.\d+)f/, (_, n: string) => `${(Number(n) * 1.5).toFixed(3)}f`),
      () => row.replace(/= (\d+);/, (_, n: string) => `= ${Number(n) + 7};`),
      () => row.replace(/ (>=|<=|>|<) /, (_, sign: string) => ` ${sign.startsWith('>') ? '<' : '>='} `),
      () => (/^\s+(state|out)->\w+ (=|\+=) [\w.]+;$/.test(row) ? '' : row),
      () => row.replace(/(true|false);/, (_, b: string) => `${b === 'true' ? 'false' : 'true'};`),
    ][way]();
    if (is === row || /return|static|case|given|CapperControl_|moved|begun|lost|-=|> 0|= 0;|wait/.test(row)) continue;
    return [...rows.slice(0, at), is, ...rows.slice(at + 1)].join('\n');
  }
  return text;
}
const isThere = hasCompiler('gcc') ? test : test.skip;
isThere('random edits of the controller: what is taken over does what the edited C does, as a compiler has it', () => {
  let takenOver = 0;
  fc.assert(
    fc.property(fc.integer({ min: 1, max: 1e6 }), (seed) => {
      const text = randomEdit(randomEdit(source, seed), seed + 1);
      const found = readBack(tubeCapper, capper, text);
      expect(found.proposals.length + found.complaints.length).toBeGreaterThan(text === source ? -1 : 0);
      if (found.complaints.length > 0 || found.proposals.length === 0) return;
      takenOver++;
      const next = taken(tubeCapper, found);
      const { program } = stepProgramOf(next, typeById(next, capper.id)!);
      const columns = harnessColumns(program!, ['input']);
      const sizes: Readonly<Record<string, number>> = { speed: 30, angle: 40, torque: 1, temperature: 95.5 };
      const inputs = Array.from({ length: 600 }, (_, k) =>
        columns.map((slot, j) => {
          const { type, name } = program!.slots[slot];
          const x = uniformAt(seed, k, j);
          return type === 'f32' ? Math.fround((sizes[name] ?? 3) * x) : x < 0.96 ? 0 : 1;
        }),
      );
      expect(stepsInC(program!, inputs, { flags: ['-O0'], source: text })).toEqual(stepsInJs(program!, inputs));
    }),
    { numRuns: 10 },
  );
  expect(takenOver).toBeGreaterThan(2);
});

test('random changes of models come back from their C', () => {
  let [all, back] = [0, 0];
  fc.assert(
    fc.property(
      randomParts(['when n >= 3', 'when flag', 'rises n >= 2']),
      fc.integer({ min: 1, max: 1e6 }),
      (p, seed) => {
        const project = projectOf({
          charts: [chartOf(p)],
          ports: [{ id: 'p', name: 'in', accepts: messages, sends: [], note: '' }],
        });
        const type = project.types.find((t) => t.charts.length > 0)!;
        const before = sourceOf(project, type.id, 0.001);
        const texts = documentTexts(project).filter(
          (t) =>
            (t.kind === 'expression' || t.kind === 'statements') &&
            t.place.startsWith(`type/${type.id}/chart`) &&
            /\d/.test(t.text),
        );
        if (before === undefined || texts.length === 0) return;
        const text = texts[seed % texts.length];
        const other = text.text.replace(/\d+(\.\d+)?/, (n) => String(Number(n) + 1));
        const changed = applyEdit(project, textEdit(project, text.place, other)!).project;
        const after = sourceOf(changed, type.id, 0.001);
        if (after === undefined || after === before) return;
        all++;
        const found = readBack(project, type, after, 0.001);
        if (found.complaints.length > 0) return;
        back++;
        expect(sourceOf(taken(project, found), type.id, 0.001)).toBe(after);
      },
    ),
    { numRuns: 40 },
  );
  expect(back).toBeGreaterThan(all * 0.7);
  expect(all).toBeGreaterThan(10);
});
