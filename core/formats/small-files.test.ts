import fc from 'fast-check';
import { readCsvSheet } from './sheet-csv';
import { readXlsxSheets, writeXlsxSheets } from './sheet-xlsx';
import { readStimulusCsv } from './stimulus-csv';
import { childrenOf, readXml, textOf } from './xml';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);

describe('XML', () => {
  test.each([
    ['<a b/>', /not well-formed/],
    ['<a b=1/>', /not well-formed/],
    ['<a><b></a>', /not well-formed/],
    ['<a/><b/>', /not well-formed/],
    ['<a>&unknown-</a', /not well-formed/],
    ['', /not well-formed|empty/i],
  ])('%s is refused', (text, message) => expect(readXml(text).problem).toMatch(message));
  test('the line of what is wrong is told', () => {
    expect(readXml('<a>\n<b>\n</a>')).toMatchObject({ line: 3 });
    expect(readXml('<?xml version="1.0"?>\n\n<!DOCTYPE a>\n<a/>')).toMatchObject({ line: 3 });
    expect(readXml('<a/>\n<b/>')).toMatchObject({ line: 2 });
    // in a comment it is none
    expect(readXml('<!-- <!DOCTYPE a> -->\n<a/>').problem).toBeUndefined();
  });
  test('what is marked as plain text is not read as anything else', () => {
    const { root } = readXml('<a>x &lt; y<![CDATA[ a && b < c &lt; <d/> ]]>&amp;</a>');
    expect(textOf(root)).toBe('x < y a && b < c &lt; <d/> &');
    expect(childrenOf(root)).toEqual([]);
    expect(textOf(readXml('<a><![CDATA[]]></a>').root)).toBe('');
  });
  test('texts, attributes and children come out as they went in', () => {
    const plain = fc.string({ unit: fc.constantFrom('a', 'ü', '<', '>', '&', '"', "'", ' ', '5'), maxLength: 12 });
    const escaped = (text: string): string =>
      text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;').replace(/"/g, '&quot;');
    fc.assert(
      fc.property(fc.array(fc.tuple(plain, plain), { maxLength: 5 }), (all) => {
        const { root, problem } = readXml(
          `<r>${all.map(([a, t]) => `<x a="${escaped(a)}">|${escaped(t)}|</x>`).join('')}</r>`,
        );
        expect(problem).toBeUndefined();
        expect(childrenOf(root, 'x').map((e) => [e.attributes.a, textOf(e)])).toEqual(
          all.map(([a, t]) => [a, `|${t}|`]),
        );
      }),
    );
  });
});

describe('signals from a table', () => {
  test('one row of values is a signal, none is not', () => {
    expect(readStimulusCsv(bytes('t;a\n')).remarks.join()).toMatch(/needs a row of names, and rows of times/);
    expect(readStimulusCsv(bytes('t;a\n0;5\n')).value).toEqual([
      { target: 'a', formula: expect.stringContaining('5'), points: expect.any(Number) },
    ]);
  });
  test('a signal has at every point of the table the value it has there', () => {
    const at = (formula: string, time: number): number => {
      const lists = /interpolate\(\{(.*?)\}, \{(.*?)\}, time\)/.exec(formula)!;
      const [x, y] = [lists[1], lists[2]].map((l) => l.split(',').map(Number));
      const k = x.findLastIndex((t) => t <= time);
      return k >= x.length - 1 ? y[k] : y[k] + ((y[k + 1] - y[k]) * (time - x[k])) / (x[k + 1] - x[k]);
    };
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -40, max: 40 }), { minLength: 2, maxLength: 40 }), (values) => {
        const text = `t,a\n${values.map((v, k) => `${k / 4},${v / 8}`).join('\n')}\n`;
        const { value, remarks } = readStimulusCsv(bytes(text));
        expect(remarks).toEqual([]);
        if (value[0].formula.includes('interpolate'))
          values.forEach((v, k) => expect(at(value[0].formula, k / 4)).toBeCloseTo(v / 8, 9));
      }),
    );
  });
});

describe('workbooks', () => {
  test('any texts come back, at their places', async () => {
    const rows = [
      ['Id', 'Text', ''],
      ['A-1', 'The cap shall fit.\nIn two lines.', '5 °C'],
      ['', '', ''],
      ['A-2', '=1+1 is no formula', '007'],
    ];
    const { value, remarks } = await readXlsxSheets(await writeXlsxSheets([{ name: 'R', rows, widths: [] }]));
    const trimmed = value!.sheets[0].rows.map((r) => r.join('|').replace(/\|+$/, ''));
    expect(trimmed).toEqual(rows.map((r) => r.join('|').replace(/\|+$/, '')));
    expect(remarks).toEqual([]);
    expect(value!.sheets[0].firstRow).toBe(1);
  });
  test('what is no workbook is refused, not guessed at', async () => {
    for (const data of [new Uint8Array(), bytes('Id,Text\nA,B'), Uint8Array.from([0x50, 0x4b, 3, 4, 0, 0])]) {
      const { value, remarks } = await readXlsxSheets(data);
      expect(value).toBeUndefined();
      expect(remarks[0].severity).toBe('error');
    }
  });
});

test('the separator of a CSV file is the one that makes a table of it', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(',', ';', '\t'),
      fc.integer({ min: 2, max: 5 }),
      fc.integer({ min: 2, max: 6 }),
      (separator, columns, rows) => {
        const cells = Array.from({ length: rows }, (_, r) => Array.from({ length: columns }, (__, c) => `c${r}x${c}`));
        const read = readCsvSheet(bytes(cells.map((r) => r.join(separator)).join('\n')), 's').value!.sheets[0].rows;
        expect(read).toEqual(cells);
      },
    ),
  );
});
