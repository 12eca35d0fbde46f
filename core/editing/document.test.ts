import Ajv from 'ajv/dist/2020';
import fc from 'fast-check';
import { readdirSync, readFileSync } from 'node:fs';
import { tubeCapper } from '../../samples/tube-capper';
import { writeProjectJson, readProjectText } from '../formats/project-file';
import { checkProject } from '../run/check';
import { elementIndex, elementKinds } from '../trace/elements';
import {
  entryAddress,
  findAt,
  idIn,
  isAtOrIn,
  lastStep,
  ownerAddress,
  readAddress,
  visitEntries,
  type Address,
} from '../project/address';
import { projectFields, projectSchema, type Project } from '../project/document';
import { applyEdit } from './edits';
import { documentJson, type EntryDescription } from '../project/field';
import { wrongPlaces } from '../project/look';
import { projectJsonSchema } from '../project/json-schema';
import { documentTexts } from '../project/texts';

const addresses: { address: Address; description: EntryDescription }[] = [];
visitEntries(tubeCapper, (address, _, description) => addresses.push({ address, description }));

describe('addresses', () => {
  test('every entry is found at its address, and its owner at the address of the owner', () => {
    expect(new Set(addresses.map((a) => a.address)).size).toBe(addresses.length);
    visitEntries(tubeCapper, (address, chain, description) => {
      const found = findAt(tubeCapper, address)!;
      expect(found.chain).toEqual(chain);
      expect(found.chain.at(-1)).toBe(chain.at(-1));
      expect(lastStep(address)).toEqual({ kind: description.kind, id: chain.at(-1)!.id });
      expect(entryAddress(address)).toBe(address);
      const owner = ownerAddress(address);
      expect(owner === '' ? undefined : findAt(tubeCapper, owner)!.chain.at(-1)).toBe(chain.at(-2));
      expect(isAtOrIn(address, owner === '' ? address : owner)).toBe(true);
      expect(idIn(address, description.kind)).toBe(chain.at(-1)!.id);
    });
  });
  test('a list has the address of its owner and the kind of its entries', () => {
    for (const { address } of addresses) {
      const list = address.slice(0, address.lastIndexOf('/'));
      const read = readAddress(list)!;
      expect(read.list?.description.kind).toBe(lastStep(address)!.kind);
      expect(ownerAddress(list)).toBe(ownerAddress(address));
      expect(findAt(tubeCapper, list)).toBeUndefined();
    }
  });
  test('a text has the address of its entry and its field, with a row, and with a field of the row', () => {
    expect(readAddress('type/t/chart/c/state/s/entry')).toMatchObject({ field: 'entry' });
    expect(readAddress('setup/s/record/3')).toMatchObject({ field: 'record', row: 3 });
    expect(readAddress('type/t/chart/c/transition/x/triggers/0/on')).toMatchObject({ field: 'triggers', row: 0 });
    expect(entryAddress('type/t/chart/c/transition/x/triggers/0/on')).toBe('type/t/chart/c/transition/x');
    expect(ownerAddress('type/t/physics')).toBe('type/t');
    for (const t of documentTexts(tubeCapper)) {
      const found = findAt(tubeCapper, t.place)!;
      expect([t.place, found.field]).toEqual([t.place, expect.any(String)]);
    }
  });
  test('what is no address is told apart from one that leads nowhere', () => {
    for (const wrong of [
      'types/t',
      'type/t/colour',
      'type/t/chart/c/state/s/entry/0/x',
      'setup/s/record/x',
      'name',
      '/',
    ])
      expect([wrong, readAddress(wrong)]).toEqual([wrong, undefined]);
    expect(readAddress('type/gone/chart/gone')).toBeDefined();
    expect(findAt(tubeCapper, 'type/gone/chart/gone')).toBeUndefined();
    expect(findAt(tubeCapper, 'type/t-gripper/chart/gone/state/s')).toBeUndefined();
    expect(isAtOrIn('type/t10', 'type/t1')).toBe(false);
  });
  test('problems, texts and trace elements have addresses of this one spelling', () => {
    const broken = {
      ...tubeCapper,
      types: tubeCapper.types.map((t) => ({ ...t, physics: t.physics.replace('der(', 'dre(') })),
      setups: tubeCapper.setups.map((s) => ({
        ...s,
        changes: [{ id: 'c', name: 'no.such', value: '1 +' }],
        endWhen: 'x >',
        startIn: ['nowhere'],
        stimulus: [{ id: 'r', time: 0, kind: 'set' as const, target: 'none', value: '1' }],
      })),
    };
    const places = [tubeCapper, broken].flatMap((p) => checkProject(p).problems.map((x) => x.place ?? ''));
    expect(places.length).toBeGreaterThan(10);
    for (const place of [...places, ...elementIndex(tubeCapper).all.map((e) => e.address)])
      expect([place, readAddress(place) !== undefined]).toEqual([place, true]);
  });
});

test('every kind that says something can be linked to, under a word that lists know', () => {
  const words = new Set(addresses.flatMap((a) => (a.description.content ? [a.description.word] : [])));
  for (const word of words) expect(elementKinds).toContain(word);
});

test('texts kept from before an edit are those of the document as it is now', () => {
  const ids = tubeCapper.types.map((t) => t.id);
  const edits = fc.array(
    fc.oneof(
      fc.nat(30).map((k) => ({ kind: 'remove' as const, k })),
      fc.nat(30).map((k) => ({ kind: 'physics' as const, k })),
      fc.constantFrom(...ids).map((root) => ({ kind: 'root' as const, root })),
    ),
    { minLength: 1, maxLength: 5 },
  );
  fc.assert(
    fc.property(edits, (all) => {
      let project: Project = tubeCapper;
      documentTexts(project);
      for (const e of all) {
        if (e.kind === 'root') project = { ...project, root: e.root };
        else if (e.kind === 'physics')
          project = {
            ...project,
            types: project.types.map((t, k) => (k === e.k ? { ...t, physics: `${t.physics}// more` } : t)),
          };
        // what comes later in the list moves up
        else
          project = {
            ...project,
            types: project.types.filter((t, k) => k !== e.k || t.id === project.root),
            setups: project.setups.slice(1),
          };
        const plain = (p: Project) => documentTexts(p).map((t) => ({ ...t, label: t.label }));
        expect(plain(project)).toEqual(plain(structuredClone(project)));
      }
    }),
    { numRuns: 16 },
  );
});

test('the texts of some lists only are those of all, without the others', () => {
  const all = documentTexts(tubeCapper);
  const of = (...lists: (keyof Project)[]) => documentTexts(tubeCapper, new Set(lists));
  expect([...of('types'), ...of('requirements', 'glossary', 'setups', 'studies', 'cases', 'panels', 'tracks')]).toEqual(
    all,
  );
  expect(of('types').every((t) => t.place.startsWith('type/'))).toBe(true);
});

describe('the published schema', () => {
  const schema = projectJsonSchema();
  const valid = new Ajv({ strict: false, validateFormats: false, unicodeRegExp: true }).compile(schema as object);

  test('is the file in docs, and holds each kind once', () => {
    expect(readFileSync('docs/project-file.schema.json', 'utf8')).toBe(JSON.stringify(schema, null, 2) + '\n');
    // kinds that stand in several places look alike in all of them
    const seen = new Map<string, unknown>();
    for (const { description } of addresses) {
      const json = documentJson(description.fields);
      const name = description.schema ?? description.kind;
      if (seen.has(name)) expect(json).toEqual(seen.get(name));
      seen.set(name, json);
    }
  });
  test('fits all samples', () => {
    for (const file of readdirSync('samples').filter((f) => f.endsWith('.zelvar.json'))) {
      valid(JSON.parse(readFileSync(`samples/${file}`, 'utf8')));
      expect([file, valid.errors]).toEqual([file, null]);
    }
  });

  /** Something else in one place of the document. */
  const paths: (readonly (string | number)[])[] = [];
  const collect = (x: unknown, path: readonly (string | number)[]): void => {
    if (path.length > 0) paths.push(path);
    if (Array.isArray(x)) x.slice(0, 2).forEach((y, k) => collect(y, [...path, k]));
    else if (typeof x === 'object' && x !== null) for (const [key, y] of Object.entries(x)) collect(y, [...path, key]);
  };
  const small: Project = {
    ...tubeCapper,
    types: tubeCapper.types.filter((t) => ['t-capper', 't-cappercontrol', 't-spindledrive'].includes(t.id)),
  };
  collect(small, []);
  const changed = (path: readonly (string | number)[], value: unknown): unknown => {
    const copy = JSON.parse(JSON.stringify(small)) as Record<string | number, unknown>;
    let at = copy;
    for (const key of path.slice(0, -1)) at = at[key] as Record<string | number, unknown>;
    const last = path.at(-1)!;
    if (value === undefined) {
      if (Array.isArray(at)) at.splice(Number(last), 1);
      else delete at[last];
    } else at[last] = value;
    return copy;
  };
  const others = fc.constantFrom<unknown>(
    undefined,
    null,
    '',
    'x',
    'a b',
    'time',
    '*',
    'x'.repeat(30_000),
    0,
    -1,
    0.5,
    true,
    [],
    {},
    ['x'],
    [{}],
    { id: 'x' },
  );
  test('says of a changed document what the checks of the application say', () => {
    fc.assert(
      fc.property(fc.constantFrom(...paths), others, (path, value) => {
        const document = changed(path, value);
        const ours = projectSchema.isValidSync(document, { strict: true });
        // files are looked at piece by piece, which says the same as the whole
        expect([path, value, wrongPlaces(projectFields, document, 20).length === 0]).toEqual([path, value, ours]);
        // what JSON Schema cannot say: units, and ids that repeat
        const cannotSay = path.at(-1) === 'unit' || path.at(-1) === 'id';
        if (!cannotSay) expect([path, value, valid(document)]).toEqual([path, value, ours]);
        else if (ours) expect(valid(document)).toBe(true);
      }),
      { numRuns: 300 },
    );
  });
  test('unknown keys are refused, with their place, not dropped', () => {
    const text = writeProjectJson(tubeCapper).replace('"note":', '"colour": 1, "note":');
    const { value, problems } = readProjectText(text);
    expect(value).toBeUndefined();
    expect(problems[0].message).toMatch(/There is nothing called colour here/);
    const refused = applyEdit(tubeCapper, {
      kind: 'update',
      list: 'setup',
      id: 'u-careful',
      changes: { colour: 1 },
    }).refused;
    expect(refused?.message).toMatch(/nothing called colour/);
  });
  test('ids that repeat are refused', () => {
    const twice = { ...tubeCapper, panels: [...tubeCapper.panels, ...tubeCapper.panels] };
    expect(readProjectText(JSON.stringify(twice)).problems[0].message).toBe('panels: Two entries have one id');
  });
  test('every list of the document is described', () => {
    for (const [key, value] of Object.entries(tubeCapper))
      if (Array.isArray(value)) expect(Object.keys(projectFields)).toContain(key);
  });
});
