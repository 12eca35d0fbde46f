import ExcelJS from 'exceljs';
import fc from 'fast-check';
import { strFromU8, unzipSync } from 'fflate';
import { checkReqif } from './reqif-check';
import { readCsvSheet, writeCsvSheet } from './sheet-csv';
import { readReqifSheets, writeReqif } from './sheet-reqif';
import { readXlsxSheets, writeXlsxSheets } from './sheet-xlsx';
import { cellName } from './table';
import { readXml } from './xml';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const utf16 = (text: string): Uint8Array =>
  Uint8Array.from([0xff, 0xfe, ...[...text].flatMap((c) => [c.charCodeAt(0) & 255, c.charCodeAt(0) >> 8])]);

test('cells have the names people use', () =>
  expect([cellName(1, 1), cellName(7, 26), cellName(2, 27), cellName(3, 703)]).toEqual(['A1', 'Z7', 'AA2', 'AAA3']));

describe('CSV', () => {
  const rows = (data: Uint8Array) => readCsvSheet(data, 's').value?.sheets[0].rows;
  test.each([[','], [';'], ['\t'], ['|']])('separated by %j', (s) =>
    expect(rows(bytes(`Id${s}Text\nA-1${s}"one${s} two"\n`))).toEqual([
      ['Id', 'Text'],
      ['A-1', `one${s} two`],
    ]),
  );
  test('encodings: UTF-8 with and without mark, UTF-16, Western one-byte text', () => {
    const want = [
      ['Id', 'Text'],
      ['A', 'größer 5 °C'],
    ];
    expect(rows(bytes('\ufeffId;Text\nA;größer 5 °C'))).toEqual(want);
    expect(rows(utf16('Id;Text\nA;größer 5 °C'))).toEqual(want);
    const western = Uint8Array.from([...'Id;Text\nA;größer 5 °C'].map((c) => c.charCodeAt(0)));
    expect(rows(western)).toEqual(want);
    expect(readCsvSheet(western, 's').remarks[0].message).toMatch(/windows-1252/);
  });
  test('line breaks inside cells, empty lines, a line that says the separator', () => {
    expect(rows(bytes('sep=;\nId;Text\nA;"two\nlines"\n\n\n'))).toEqual([
      ['Id', 'Text'],
      ['A', 'two\nlines'],
    ]);
    expect(readCsvSheet(bytes('sep=;\nId;Text'), 's').value?.sheets[0].firstRow).toBe(2);
  });
  test('an unclosed quotation mark is told; empty and binary files are refused', () => {
    expect(readCsvSheet(bytes('Id,Text\nA,"open\nB,x'), 's').remarks[0].message).toMatch(
      /quotation mark is not closed/,
    );
    expect(readCsvSheet(new Uint8Array(), 's').value).toBeUndefined();
    expect(
      readCsvSheet(
        Uint8Array.from({ length: 900 }, (_, k) => (k * 37) % 7),
        's',
      ).remarks[0].message,
    ).toBe('This is not a text file');
  });
  test('what is written is read back, whatever the texts', () => {
    const cell = fc
      .string({ unit: fc.constantFrom('a', 'B', ' ', '"', ';', ',', '\n', 'ü', '5', '.') })
      .map((s) => `x${s.trim()}y`);
    fc.assert(
      fc.property(fc.array(fc.tuple(cell, cell, cell), { minLength: 2, maxLength: 20 }), (table) => {
        expect(rows(bytes(writeCsvSheet([['Id', 'Text', 'Kind'], ...table])))).toEqual([
          ['Id', 'Text', 'Kind'],
          ...table,
        ]);
      }),
    );
  });
  test('nothing that is written starts a formula in a spreadsheet', () =>
    expect(writeCsvSheet([['=1+1', '@x', '-cmd', '-5']])).toBe("'=1+1,'@x,'-cmd,-5\r\n"));
});

describe('XLSX', () => {
  const build = async (fill: (sheet: ExcelJS.Worksheet) => void): Promise<Uint8Array> => {
    const book = new ExcelJS.Workbook();
    fill(book.addWorksheet('Spec'));
    return new Uint8Array((await book.xlsx.writeBuffer()) as ArrayBuffer);
  };
  test('numbers, dates, formulas, errors, links, rich and merged cells become texts, and are told by their cell', async () => {
    const { value, remarks } = await readXlsxSheets(
      await build((s) => {
        s.getCell('A1').value = 'Id';
        s.getCell('A2').value = 12;
        s.getCell('B2').value = new Date(Date.UTC(2026, 3, 3));
        s.getCell('C2').value = { formula: 'A2*2', result: 24 };
        s.getCell('A3').value = { richText: [{ text: 'The ' }, { font: { bold: true }, text: 'cap' }] };
        s.getCell('B3').value = { text: 'see', hyperlink: 'https://example.org' };
        s.getCell('C3').value = { error: '#REF!' };
        s.getCell('A4').value = 'both';
        s.mergeCells('A4:A5');
      }),
    );
    expect(value!.sheets[0]).toMatchObject({
      name: 'Spec',
      rows: [['Id'], ['12', '2026-04-03', '24'], ['The cap', 'see', ''], ['both']],
    });
    const told = remarks.map((r) => `${cellName(r.row, r.column)} ${r.message}`).join('\n');
    expect(told).toMatch(/B2 A date/);
    expect(told).toMatch(/C2 A formula/);
    expect(told).toMatch(/C3 The cell shows the error #REF!/);
    expect(told).toMatch(/A5 Part of the merged cell A4/);
  });
  test('what is written is read by another reader: the XML parts themselves', async () => {
    const parts = unzipSync(
      await writeXlsxSheets([
        {
          name: 'Requirements: all',
          rows: [
            ['Id', 'Text'],
            ['3-4', 'a < b & "c"'],
            ['=1+1', '0012'],
          ],
          widths: [10, 40],
        },
      ]),
    );
    const strings = [...strFromU8(parts['xl/sharedStrings.xml']).matchAll(/<t[^>]*>([^<]*)<\/t>/g)].map((m) => m[1]);
    expect(strings).toEqual(['Id', 'Text', '3-4', 'a &lt; b &amp; &quot;c&quot;', '=1+1', '0012']);
    const sheet = strFromU8(parts['xl/worksheets/sheet1.xml']);
    expect([...sheet.matchAll(/<c r="(\w+)"[^>]*t="s"/g)].map((m) => m[1])).toEqual([
      'A1',
      'B1',
      'A2',
      'B2',
      'A3',
      'B3',
    ]);
    expect(sheet).not.toContain('<f>');
    expect(strFromU8(parts['xl/workbook.xml'])).toContain('name="Requirements  all"');
  });
  test('its own reader finds the same texts', async () => {
    const rows = [
      ['Id', 'Text'],
      ['3-4', 'a < b'],
      ['', 'zwei\nZeilen'],
    ];
    expect(
      (await readXlsxSheets(await writeXlsxSheets([{ name: 'R', rows, widths: [] }]))).value!.sheets[0].rows,
    ).toEqual(rows);
  });
  test('other files, cut files and empty ones are refused with a reason', async () => {
    const good = await writeXlsxSheets([{ name: 'R', rows: [['a']], widths: [] }]);
    const why = async (data: Uint8Array): Promise<string> => (await readXlsxSheets(data)).remarks[0].message;
    expect(await why(new Uint8Array())).toBe('The file is empty');
    expect(await why(bytes('Id;Text'))).toMatch(/not an XLSX workbook/);
    expect(await why(good.slice(0, good.length - 80))).toMatch(/damaged|cannot be read/);
  });
});

describe('ReqIF', () => {
  const document = {
    id: 'p',
    title: 'Tube & cap',
    objects: [
      {
        id: 'OTHER_77',
        key: 'CAP-01',
        text: 'x < 5 & "y"',
        kind: 'requirement',
        parent: '',
        attributes: [{ name: 'Owner', value: 'Ada' }],
      },
      { id: '_r2', key: 'CAP-02', text: 'two\nlines', kind: 'requirement', parent: 'OTHER_77', attributes: [] },
    ],
    relations: [{ from: '_r2', to: 'OTHER_77', type: 'Trace link' }],
  };
  const read = (text: string) => readReqifSheets(bytes(text));
  test('what is written is well-formed and follows the schema', () => {
    const xml = readXml(writeReqif(document));
    expect(xml.problem).toBeUndefined();
    expect(checkReqif(xml.root!)).toEqual([]);
  });
  test('the check finds what it should', () => {
    const good = writeReqif(document);
    const problems = (text: string): string => checkReqif(readXml(text).root!).join('\n');
    expect(problems(good.replace('<SPEC-OBJECT-REF>_r2', '<SPEC-OBJECT-REF>_r9'))).toMatch(
      /SPEC-OBJECT _r9 leads nowhere/,
    );
    expect(problems(good.replace('IDENTIFIER="_r2"', 'IDENTIFIER="OTHER_77"'))).toMatch(/OTHER_77 is there twice/);
    expect(problems(good.replace(/<CREATION-TIME>.*<\/CREATION-TIME>/, ''))).toMatch(
      /REQ-IF-HEADER: has REQ-IF-TOOL-ID/,
    );
    expect(problems(good.replace('<DATATYPES>', '<ODD>').replace('</DATATYPES>', '</ODD>'))).toMatch(/not expected/);
  });
  test('identifiers, hierarchy, attributes and relations come back', () => {
    const { value, remarks } = read(writeReqif(document));
    expect(remarks).toEqual([]);
    expect(value!.sheets[0]).toMatchObject({ name: 'Tube & cap', foreign: 0 });
    expect(value!.sheets[0].rows).toEqual([
      ['IDENTIFIER', 'ReqIF.ForeignID', 'ReqIF.Text', 'Kind', 'Owner', 'Parent', 'Object type'],
      ['OTHER_77', 'CAP-01', 'x < 5 & "y"', 'requirement', 'Ada', '', 'Requirement'],
      ['_r2', 'CAP-02', 'two\nlines', 'requirement', '', 'OTHER_77', 'Requirement'],
    ]);
    expect(value!.relations).toEqual([{ from: '_r2', to: 'OTHER_77', type: 'Trace link' }]);
  });
  test('any text survives', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 30 }), (text) => {
        const want = text.replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '').trim();
        const { value } = read(
          writeReqif({ ...document, relations: [], objects: [{ ...document.objects[0], text: `a${want}z` }] }),
        );
        expect(value!.sheets[0].rows[1][2].replace(/\r/g, '')).toBe(`a${want}z`.replace(/\r/g, ''));
      }),
    );
  });
  const foreign = (
    objects: string,
    more = '',
  ): string => `<?xml version="1.0"?><REQ-IF xmlns="http://www.omg.org/spec/ReqIF/20110401/reqif.xsd" xmlns:h="http://www.w3.org/1999/xhtml"><CORE-CONTENT><REQ-IF-CONTENT>
    <DATATYPES><DATATYPE-DEFINITION-ENUMERATION IDENTIFIER="e"><SPECIFIED-VALUES><ENUM-VALUE IDENTIFIER="v1" LONG-NAME="high"/></SPECIFIED-VALUES></DATATYPE-DEFINITION-ENUMERATION></DATATYPES>
    <SPEC-TYPES><SPEC-OBJECT-TYPE IDENTIFIER="t" LONG-NAME="Req"><SPEC-ATTRIBUTES><ATTRIBUTE-DEFINITION-XHTML IDENTIFIER="a1" LONG-NAME="ReqIF.Text"/><ATTRIBUTE-DEFINITION-ENUMERATION IDENTIFIER="a2" LONG-NAME="Priority"/></SPEC-ATTRIBUTES></SPEC-OBJECT-TYPE></SPEC-TYPES>
    <SPEC-OBJECTS>${objects}</SPEC-OBJECTS>${more}</REQ-IF-CONTENT></CORE-CONTENT></REQ-IF>`;
  const rich = (id: string, body: string): string =>
    `<SPEC-OBJECT IDENTIFIER="${id}"><TYPE><SPEC-OBJECT-TYPE-REF>t</SPEC-OBJECT-TYPE-REF></TYPE><VALUES><ATTRIBUTE-VALUE-XHTML><DEFINITION><ATTRIBUTE-DEFINITION-XHTML-REF>a1</ATTRIBUTE-DEFINITION-XHTML-REF></DEFINITION><THE-VALUE>${body}</THE-VALUE></ATTRIBUTE-VALUE-XHTML><ATTRIBUTE-VALUE-ENUMERATION><DEFINITION><ATTRIBUTE-DEFINITION-ENUMERATION-REF>a2</ATTRIBUTE-DEFINITION-ENUMERATION-REF></DEFINITION><VALUES><ENUM-VALUE-REF>v1</ENUM-VALUE-REF></VALUES></ATTRIBUTE-VALUE-ENUMERATION></VALUES></SPEC-OBJECT>`;
  test('rich text becomes plain, choices their names, pictures are told', () => {
    const { value, remarks } = read(
      foreign(
        rich(
          'x1',
          '<h:div>The <h:b>cap</h:b>:<h:ul><h:li>holds</h:li><h:li>seals</h:li></h:ul><h:object data="p.png"/></h:div>',
        ),
      ),
    );
    expect(value!.sheets[0].rows[1]).toEqual(['x1', 'The cap:\n- holds\n- seals', 'high', '', 'Req']);
    expect(remarks[0].message).toMatch(/picture or embedded object/);
  });
  test('missing types, relations and places to nowhere are told; the rest is read', () => {
    const { value, remarks } = read(
      foreign(
        `${rich('x1', '<h:p>one</h:p>')}<SPEC-OBJECT IDENTIFIER="x2"><TYPE><SPEC-OBJECT-TYPE-REF>gone</SPEC-OBJECT-TYPE-REF></TYPE></SPEC-OBJECT><SPEC-OBJECT IDENTIFIER="x1"/>`,
        '<SPEC-RELATIONS><SPEC-RELATION IDENTIFIER="r"><SOURCE><SPEC-OBJECT-REF>x1</SPEC-OBJECT-REF></SOURCE><TARGET><SPEC-OBJECT-REF>nowhere</SPEC-OBJECT-REF></TARGET></SPEC-RELATION></SPEC-RELATIONS><SPECIFICATIONS><SPECIFICATION IDENTIFIER="s" LONG-NAME="S"><CHILDREN><SPEC-HIERARCHY IDENTIFIER="h1"><OBJECT><SPEC-OBJECT-REF>x9</SPEC-OBJECT-REF></OBJECT></SPEC-HIERARCHY><SPEC-HIERARCHY IDENTIFIER="h2"><OBJECT><SPEC-OBJECT-REF>x1</SPEC-OBJECT-REF></OBJECT></SPEC-HIERARCHY></CHILDREN></SPECIFICATION></SPECIFICATIONS>',
      ),
    );
    const told = remarks.map((r) => r.message).join('\n');
    expect(told).toMatch(/type gone of x2 is not in the file/);
    expect(told).toMatch(/Two objects have the identifier x1/);
    expect(told).toMatch(/relation r leads to nowhere/);
    expect(told).toMatch(/S lists x9, which is not in the file/);
    expect(value!.sheets.map((s) => s.rows.length)).toEqual([2, 2]);
  });
  test('entity bombs, broken XML and other XML are refused at their line', () => {
    const bomb = '<?xml version="1.0"?>\n<!DOCTYPE x [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;">]>\n<REQ-IF>&b;</REQ-IF>';
    expect(read(bomb)).toMatchObject({
      value: undefined,
      remarks: [{ row: 2, message: expect.stringMatching(/grow without bound/) }],
    });
    expect(read('<REQ-IF><A></REQ-IF>')).toMatchObject({
      value: undefined,
      remarks: [{ message: expect.stringMatching(/not well-formed/) }],
    });
    expect(read('<svg/>')).toMatchObject({
      value: undefined,
      remarks: [{ message: expect.stringMatching(/outermost element is svg/) }],
    });
  });
});
