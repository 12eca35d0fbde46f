import fc from 'fast-check';
import { lineColumn } from './diagnostics';
import { escapeXml } from './escape';
import { lex } from './lexer';
import { editDistance, nearestName } from './nearest';
import { parseExpressionText, parseStatementsText } from './parse';
import { printExpression } from './print';
import { walkExpression } from './walk';

const kinds = (text: string): string[] =>
  lex(text)
    .tokens.slice(0, -1)
    .map((t) => `${t.kind} ${t.text}`);

test.each([
  ['a.b', ['name a', 'symbol .', 'name b']],
  ['1.5e-3', ['number 1.5e-3']],
  ['.5', ['number .5']],
  ['1.', ['number 1.']],
  // the elementwise product, not "1." times x
  ['1.*x', ['number 1', 'symbol .*', 'name x']],
  ['1.^2', ['number 1', 'symbol .^', 'number 2']],
  ['x<=y<>z', ['name x', 'symbol <=', 'name y', 'symbol <>', 'name z']],
  ["2 'm/s'", ['number 2', 'quoted m/s']],
  [String.raw`'a\'b'`, ["quoted a'b"]],
  [String.raw`"line\nnext\q"`, ['string line\nnextq']],
  ['when whenever', ['keyword when', 'name whenever']],
  ['größe_2', ['name größe_2']],
  ['\uFEFFa\u00A0b', ['name a', 'name b']],
  ['a // b\nc /* d\n e */ f', ['name a', 'name c', 'name f']],
  ['3e', ['number 3', 'name e']],
])('%s', (text, wanted) => expect(kinds(text)).toEqual(wanted));

test('tokens and comments stand where they say, in order, and end with the text', () => {
  fc.assert(
    fc.property(
      fc
        .array(
          fc.constantFrom(
            'a',
            'b1',
            '1.5',
            '"x"',
            "'u'",
            '+',
            ':=',
            '/* c */',
            '// d\n',
            ' ',
            '\n',
            '(',
            'end',
            '≤',
            '"',
          ),
          {
            maxLength: 20,
          },
        )
        .map((list) => list.join('')),
      (text) => {
        const { tokens, comments, problems } = lex(text);
        let end = 0;
        for (const t of tokens) {
          expect(t.start).toBeGreaterThanOrEqual(end);
          expect(t.end).toBeGreaterThanOrEqual(t.start);
          if (t.kind !== 'string' && t.kind !== 'quoted' && t.kind !== 'end-of-text')
            expect(text.slice(t.start, t.end)).toBe(t.text);
          end = t.end;
        }
        expect(tokens.at(-1)).toEqual({ kind: 'end-of-text', text: '', start: text.length, end: text.length });
        for (const c of comments) expect(text.slice(c.start, c.start + 2)).toMatch(/^\/[/*]$/);
        for (const p of problems) expect(p.span!.end).toBeLessThanOrEqual(text.length);
      },
    ),
    { numRuns: 400 },
  );
});

describe('what cannot be read is told at its place', () => {
  test.each([
    ['a ≤ b', 2, '<='],
    ['a ≥ b', 2, '>='],
    ['a ≠ b', 2, '<>'],
    ['a · b', 2, '*'],
  ])('%s, with what is meant', (text, start, fix) => {
    const [found] = lex(text).problems;
    expect(found).toMatchObject({ code: 'unknown-character', span: { start, end: start + 1 } });
    expect(found.fixes).toEqual([{ title: `Write ${fix}`, span: { start, end: start + 1 }, text: fix }]);
  });
  test('characters that mean nothing, wide ones as one', () => {
    expect(lex('a ? b').problems).toMatchObject([{ message: 'The character ? has no meaning here' }]);
    expect(lex('a ? b').problems[0].fixes).toBeUndefined();
    expect(lex('😀x').problems).toMatchObject([{ span: { start: 0, end: 2 } }]);
    expect(kinds('😀x')).toEqual(['name x']);
  });
  test('what is not closed', () => {
    expect(lex('a /* b').problems).toMatchObject([{ code: 'open-comment', span: { start: 2, end: 4 } }]);
    expect(lex('"abc').problems).toMatchObject([
      { message: 'This string is not closed with "', span: { start: 0, end: 1 } },
    ]);
    expect(lex("'abc").problems[0].message).toBe("This name or unit in quotes is not closed with '");
  });
});

test('lines and columns count from one', () => {
  const text = 'ab\n\ncde';
  const at = (offset: number): [number, number] => {
    const { line, column } = lineColumn(text, offset);
    return [line, column];
  };
  expect([at(0), at(1), at(2), at(3), at(4), at(6), at(99)]).toEqual([
    [1, 1],
    [1, 2],
    [1, 3],
    [2, 1],
    [3, 1],
    [3, 3],
    [3, 4],
  ]);
});

describe('names that are nearly right', () => {
  test('distances count what is added, left out, changed and exchanged (Damerau 1964)', () => {
    for (const [a, b, d] of [
      ['speed', 'speed', 0],
      ['speed', 'sped', 1],
      ['sped', 'speed', 1],
      ['speed', 'spead', 1],
      ['speed', 'psede', 2],
      ['ab', 'ba', 1],
      ['', 'ab', 2],
      ['kitten', 'sitting', 3],
    ] as const)
      expect([a, b, editDistance(a, b, 5)]).toEqual([a, b, d]);
    expect(editDistance('a', 'abcdef', 2)).toBe(3);
  });
  test('a distance is the same both ways, and zero for equal words only', () => {
    const word = fc.string({ unit: fc.constantFrom('a', 'b', 'c'), maxLength: 6 });
    fc.assert(
      fc.property(word, word, (a, b) => {
        expect(editDistance(a, b, 9)).toBe(editDistance(b, a, 9));
        expect(editDistance(a, b, 9) === 0).toBe(a === b);
        expect(editDistance(a, b, 9)).toBeLessThanOrEqual(Math.max(a.length, b.length));
      }),
    );
  });
  test('short names may differ by one, longer ones by more; case alone is nearest', () => {
    expect(nearestName('abc', ['abd', 'xyz'])).toBe('abd');
    expect(nearestName('abc', ['axy'])).toBeUndefined();
    // one slip in three letters, two in seven, three in longer words
    expect(nearestName('spindle', ['spxydle'])).toBe('spxydle');
    expect(nearestName('spindle', ['sxyzdle'])).toBeUndefined();
    expect(nearestName('spindles', ['sxyzdles'])).toBe('sxyzdles');
    expect(nearestName('spindles', ['wxyzdles'])).toBeUndefined();
    // the nearest of several, and another case before another letter
    expect(nearestName('speed', ['sped', 'Speed'])).toBe('Speed');
    expect(nearestName('speed', ['speed'])).toBeUndefined();
    expect(nearestName('torqeu', ['torque', 'turns'])).toBe('torque');
    expect(nearestName('temperatrue', ['temperature'])).toBe('temperature');
    expect(nearestName('speed', ['spied', 'Speed'])).toBe('Speed');
    expect(nearestName('speed', ['speed'])).toBeUndefined();
    expect(nearestName('speed', [])).toBeUndefined();
  });
});

test('text for XML: marks are written out, characters it cannot hold left out', () => {
  expect(escapeXml(`a < b & "c" > 'd'`)).toBe('a &lt; b &amp; &quot;c&quot; &gt; &apos;d&apos;');
  expect(escapeXml('a\u0000b\u0008c\td\ne\ufffff')).toBe('abc\td\nef');
});

test('walking an expression meets everything in it', () => {
  const met = (text: string): string[] => {
    const found: string[] = [];
    walkExpression(parseExpressionText(text).value, (e) => {
      if (e.kind === 'ref' || e.kind === 'number') found.push(printExpression(e));
    });
    return found;
  };
  expect(met('if a > 1 then f(b, c = 2) else {d, -e[k]}')).toEqual(['a', '1', 'b', '2', 'd', 'e[k]', 'k']);
  expect(met('{x for i in 1:n}')).toEqual(['x', '1', 'n']);
  expect(met('1:s:9')).toEqual(['1', 's', '9']);
});

test('statements: what is taken back, what only looks like it, and names from the top', () => {
  expect(parseStatementsText('cancel seated;').value).toMatchObject([{ kind: 'cancel', message: 'seated' }]);
  expect(parseStatementsText('cancel seated').value).toMatchObject([{ kind: 'cancel' }]);
  // a quantity of that name
  expect(parseStatementsText('cancel := 3;').value).toMatchObject([{ kind: 'assign' }]);
  expect(parseExpressionText('.a.b + c').value).toMatchObject({
    kind: 'binary',
    left: { kind: 'ref', global: true },
    right: { kind: 'ref', global: false },
  });
  expect(parseExpressionText('x .+ y').value).toMatchObject({ kind: 'binary', op: '.+' });
});
