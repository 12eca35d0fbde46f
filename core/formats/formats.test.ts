import { zipSync, strToU8 } from 'fflate';
import { tubeCapper } from '../../samples/tube-capper';
import { projectVersion } from '../project/document';
import type { Recording } from '../simulate/recording';
import { readProjectFile, readProjectText, writeProjectFile, writeProjectJson } from './project-file';
import { readRecordingCsv, writeRecordingCsv } from './recording-csv';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const message = (data: Uint8Array): string => {
  const { value, problems } = readProjectFile(data);
  expect(value).toBeUndefined();
  return problems.map((p) => p.message).join('; ');
};

describe('project files', () => {
  test('both forms read back to the same project', () => {
    expect(readProjectFile(writeProjectFile(tubeCapper)).value).toEqual(tubeCapper);
    expect(readProjectText(writeProjectJson(tubeCapper))).toEqual({ value: tubeCapper, problems: [] });
  });
  test('broken and foreign files are refused with a reason', () => {
    const json = writeProjectJson(tubeCapper);
    expect(message(bytes(''))).toBe('The file is empty');
    expect(message(bytes(json.slice(0, json.length / 2)))).toMatch(/cut short: it stops making sense at line \d+/);
    expect(message(writeProjectFile(tubeCapper).slice(0, 400))).toMatch(/damaged or was cut short/);
    expect(message(zipSync({ 'other.txt': strToU8('x') }))).toMatch(/no project\.json in it/);
    expect(message(bytes('GIF89a'))).toBe('This is not a Zelvar project file');
    expect(message(bytes('{"a": 1}'))).toBe('This is not a Zelvar project file');
    expect(message(bytes('[]'))).toBe('This is not a Zelvar project file');
    expect(message(bytes(json.replace(`"version": ${projectVersion}`, `"version": ${projectVersion + 1}`)))).toContain(
      `written by a newer Zelvar (format ${projectVersion + 1};`,
    );
  });
  test('a script in a name, a wrong type, a missing field are told by their place', () => {
    const withName = (name: unknown): Uint8Array =>
      bytes(JSON.stringify({ ...tubeCapper, types: [{ ...tubeCapper.types[0], name }] }));
    expect(message(withName('<img onerror=alert(1)>'))).toMatch(/types\[0\]\.name: A name starts with a letter/);
    expect(message(withName(12))).toMatch(/types\[0\]\.name/);
    expect(message(bytes(JSON.stringify({ ...tubeCapper, setups: [{ id: 'x' }] })))).toMatch(/setups\[0\]/);
  });
  test('references to nowhere are told but do not cost the file', () => {
    const { value, problems } = readProjectText(JSON.stringify({ ...tubeCapper, root: 'nowhere' }));
    expect(value).toBeDefined();
    expect(problems[0].message).toMatch(/not one of its part types/);
  });
});

describe('recordings as CSV', () => {
  const recording: Recording = {
    rows: 3,
    time: Float64Array.of(0, 0.1, 0.1),
    messages: [],
    transitions: [],
    columns: [
      { name: 'spindle.w', unit: 'rad/s', kind: 'real', literals: [], values: Float64Array.of(1, 1 / 3, -2e-20) },
      { name: 'c[1].u', unit: '', kind: 'real', literals: [], values: Float64Array.of(0, 0, 5) },
      { name: 'guard.open', unit: '', kind: 'boolean', literals: [], values: Float64Array.of(0, 1, 1) },
      {
        name: 'ctrl.mode',
        unit: '',
        kind: 'literal',
        literals: ['Off', 'Running, fast'],
        values: Float64Array.of(0, 1, 1),
      },
    ],
  };
  const text = writeRecordingCsv(recording);
  test('names, units, Booleans and states are written as words', () => {
    expect(text.split('\n').slice(0, 3)).toEqual([
      'time,spindle.w [rad/s],c[1].u,guard.open,ctrl.mode',
      '0,1,0,false,Off',
      '0.1,0.3333333333333333,0,true,"Running, fast"',
    ]);
  });
  test('they read back to the same values, bit for bit', () => {
    const { value, problems } = readRecordingCsv(text);
    expect(problems).toEqual([]);
    expect([...value!.time]).toEqual([...recording.time]);
    expect(value!.columns.map((c) => [c.name, c.unit, c.kind, [...c.values]])).toEqual(
      recording.columns.map((c) => [c.name, c.unit, c.kind, [...c.values]]),
    );
  });
  test('what is wrong is told by line and column, the rest is read', () => {
    const { value, problems } = readRecordingCsv('time;x [V]\n0;1\noops;2\n1;abc\n0.5;3\n2;4\n'.replace(/;/g, ','));
    expect(value?.rows).toBe(3);
    expect(problems.map((p) => p.message)).toEqual([
      'Line 3, column 1: "oops" is not a time; this line is left out',
      'Line 5, column 1: the time 0.5 is earlier than the one before; this line is left out',
      'Line 3, column 2: "abc" is not a number',
    ]);
    expect(readRecordingCsv('a,b\n1,2').problems[0].message).toMatch(/not a recording/);
  });
});

/** Until version 6 the do text of a state was called otherwise. */
const withOldDoTexts = (types: readonly { charts: { states: Record<string, unknown>[] }[] }[]): void =>
  types.forEach((t) =>
    t.charts.forEach((c) => (c.states = c.states.map(({ do: text, ...s }) => ({ ...s, during: text })))),
  );

test('a file of the first version opens: what it did not have is empty', () => {
  const old = JSON.parse(writeProjectJson(tubeCapper)) as Record<string, unknown> & {
    requirements: Record<string, unknown>[];
    // eslint-disable-next-line @typescript-eslint/no-explicit-any
    types: Record<string, any>[];
  };
  old.version = 1;
  for (const key of ['retired', 'flows', 'traces']) delete old[key];
  for (const r of old.requirements)
    for (const key of ['kind', 'parent', 'attributes', 'source', 'observation']) delete r[key];
  for (const t of old.types) {
    delete t.procedures;
    delete t.sequences;
    for (const c of t.charts) {
      delete c.period;
      delete c.values;
      c.states = c.states.map((s: { kind: string }) => ({
        ...s,
        kind: undefined,
        do: undefined,
        defers: undefined,
        parallel: s.kind === 'parallel',
      }));
      c.transitions = c.transitions.map((x: { triggers: { kind: string; on: string }[] }) => ({
        ...x,
        also: undefined,
        internal: undefined,
        triggers: undefined,
        trigger: x.triggers[0]?.kind ?? 'completion',
        on: x.triggers[0]?.on ?? '',
      }));
    }
  }
  const { value, problems } = readProjectText(JSON.stringify(old));
  expect(problems).toEqual([]);
  // charts come through with all they had in the first version
  const charts = (p: typeof tubeCapper) =>
    p.types.map((t) =>
      t.charts.map((c) => ({
        states: c.states.map((s) => ({ ...s, kind: s.kind === 'parallel' ? 'parallel' : 'state' })),
        transitions: c.transitions.map((x) => ({ ...x, triggers: x.triggers.slice(0, 1) })),
      })),
    );
  expect(charts(value!)).toEqual(charts(tubeCapper));
  expect(value).toMatchObject({ version: projectVersion, libraries: [], flows: [], traces: [], retired: [] });
  expect(value!.requirements[0]).toMatchObject({
    kind: 'requirement',
    parent: null,
    attributes: [],
    source: null,
    observation: null,
  });
});

test('a transfer function of ticks that took polynomials in z keeps doing so under its present name', () => {
  const old = JSON.parse(writeProjectJson(tubeCapper)) as {
    version: number;
    types: { signals: unknown[] }[];
    setups: Record<string, unknown>[];
  };
  const line = (text: string, k: number) => ({ id: `l${k}`, text, place: null, size: null });
  const sheetOf = (id: string, every: string) => ({
    id,
    name: id,
    note: '',
    every,
    offset: '',
    method: 'hold',
    lines: ['y = transfer(u, b = {1}, a = {1, -0.5})', 'z = 2*transfer (y, {1}, {1}) + transferred'].map(line),
  });
  old.version = 8;
  for (const s of old.setups) delete s.loopsWhen;
  old.types[0].signals = [sheetOf('s1', '0.1'), sheetOf('s2', '')];
  const { value } = readProjectFile(bytes(JSON.stringify(old)));
  expect(value!.types[0].signals.map((s) => s.lines.map((l) => l.text))).toEqual([
    ['y = transferZ(u, b = {1}, a = {1, -0.5})', 'z = 2*transferZ (y, {1}, {1}) + transferred'],
    ['y = transfer(u, b = {1}, a = {1, -0.5})', 'z = 2*transfer (y, {1}, {1}) + transferred'],
  ]);
  expect(value!.setups.every((s) => s.loopsWhen === '')).toBe(true);
});

test('what links of an earlier version carry becomes items, one for each text', () => {
  const old = JSON.parse(writeProjectJson(tubeCapper)) as {
    version: number;
    items?: unknown;
    setups: { screen?: boolean }[];
    types: { links: { carries: string }[]; charts: { states: Record<string, unknown>[] }[] }[];
  };
  old.version = 5;
  withOldDoTexts(old.types);
  delete old.items;
  for (const s of old.setups) delete s.screen;
  for (const t of old.types.slice(1)) for (const l of t.links) l.carries = '';
  const links = old.types[0].links;
  links.forEach((l, k) => (l.carries = ['torque', '', 'order', 'torque'][k % 4]));
  const { value, problems } = readProjectText(JSON.stringify(old));
  expect(problems).toEqual([]);
  expect(value!.items.map((i) => i.name)).toEqual(['torque', 'order']);
  expect(
    value!.types[0].links.map((l) => value!.items.find((i) => i.id === l.carries)?.name ?? '').slice(0, 4),
  ).toEqual(['torque', '', 'order', 'torque']);
  expect(value!.setups.every((s) => s.screen)).toBe(true);
});

test('texts of an earlier version name classes of the library as they are called now, a do text by its old name', () => {
  const old = JSON.parse(writeProjectJson(tubeCapper)) as {
    version: number;
    libraries: { id: string; name: string; note: string; text: string }[];
    types: { physics: string; charts: { states: Record<string, unknown>[] }[] }[];
  };
  old.version = 6;
  withOldDoTexts(old.types);
  const chart = old.types.findIndex((t) => t.charts.length > 0);
  old.types[chart].charts[0].states[0].during = 'x := 1;';
  old.types[chart].physics = 'Rotational.Gear a; Rotational.IdealGear b; Other.Rotational.Gear c; // Planar.World\n';
  old.libraries = [
    {
      id: 'x',
      name: 'x',
      note: '',
      text: 'model M "a Spatial.World" import T = Thermal; T.HeatPort p; .Spatial.World w; Thermal.Resistor r; end M;',
    },
  ];
  const { value, problems } = readProjectText(JSON.stringify(old));
  expect(problems).toEqual([]);
  expect(value!.types[chart].physics).toBe(
    'Rotational.GearWithLoss a; Rotational.Gear b; Other.Rotational.Gear c; // Planar.World\n',
  );
  expect(value!.libraries[0].text).toBe(
    'model M "a Spatial.World" import T = Thermal; T.Port p; .Spatial.Ground w; Thermal.Resistor r; end M;',
  );
  expect(value!.types[chart].charts[0].states[0].do).toBe('x := 1;');
});

test('requirements of an earlier version are about the product', () => {
  const old = JSON.parse(writeProjectJson(tubeCapper)) as {
    version: number;
    requirements: { about?: string; key: string }[];
  };
  old.version = 10;
  for (const r of old.requirements) delete r.about;
  const { value, problems } = readProjectText(JSON.stringify(old));
  expect(problems).toEqual([]);
  expect(value!.version).toBe(projectVersion);
  expect(value!.requirements.map((r) => r.about).join('')).toBe('');
});
test('studies of an earlier version compare no runs that are kept', () => {
  const old = JSON.parse(writeProjectJson(tubeCapper)) as { version: number; studies: { kept?: unknown }[] };
  old.version = 11;
  for (const s of old.studies) delete s.kept;
  const { value, problems } = readProjectText(JSON.stringify(old));
  expect(problems).toEqual([]);
  expect(value!.studies).toEqual(tubeCapper.studies);
});
test('nothing of an earlier version is software, and every part runs as designed', () => {
  const old = JSON.parse(writeProjectJson(tubeCapper)) as {
    version: number;
    types: { software?: string; channels?: unknown; quantities: { number?: unknown }[] }[];
    setups: { stages?: unknown; wires?: unknown; serial?: unknown; heard?: unknown }[];
  };
  const unwatched = {
    ...tubeCapper,
    cases: [],
    excuses: [],
    setups: tubeCapper.setups.map((s) => ({ ...s, serial: [], heard: [] })),
  };
  old.version = 14;
  for (const t of old.types) for (const q of t.quantities) delete q.number;
  for (const s of old.setups) {
    delete s.serial;
    delete s.heard;
  }
  expect(readProjectText(JSON.stringify(old))).toEqual({ value: unwatched, problems: [] });
  const bare = {
    ...unwatched,
    types: tubeCapper.types.map((t) => ({ ...t, channels: [] })),
    setups: unwatched.setups.map((s) => ({ ...s, wires: [] })),
  };
  old.version = 13;
  for (const t of old.types) delete t.channels;
  for (const s of old.setups) delete s.wires;
  expect(readProjectText(JSON.stringify(old))).toEqual({ value: bare, problems: [] });
  old.version = 12;
  for (const t of old.types) delete t.software;
  for (const s of old.setups) delete s.stages;
  const { value, problems } = readProjectText(JSON.stringify(old));
  expect(problems).toEqual([]);
  expect(value).toEqual({
    ...bare,
    types: bare.types.map((t) => ({ ...t, software: '' })),
    setups: bare.setups.map((s) => ({ ...s, stages: [] })),
  });
});
