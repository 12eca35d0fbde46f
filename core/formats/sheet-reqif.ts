import { mostRows, remark, type ReadTable, type SheetRelation, type Remark, type Sheet } from './table';
import { decodeText } from './text-encoding';
import { childOf, childrenOf, escapeXml, readXml, textOf, type XmlElement } from './xml';

/**
 * ReqIF 1.2 (Requirements Interchange Format, an open standard of the OMG): each specification becomes a sheet whose
 * columns are the attributes of its objects, in the order of its hierarchy.
 */

const fixedColumns = { foreign: 'IDENTIFIER', parent: 'Parent', kind: 'Object type' } as const;

export function readReqifSheets(bytes: Uint8Array): ReadTable {
  const refuse = (message: string, line = 0): ReadTable => ({
    value: undefined,
    remarks: [remark('error', message, '', line)],
  });
  if (bytes.length === 0) return refuse('The file is empty');
  const xml = readXml(decodeText(bytes).text);
  if (!xml.root) return refuse(xml.problem, xml.line);
  if (xml.root.tag !== 'REQ-IF') return refuse(`This is XML, but not ReqIF: its outermost element is ${xml.root.tag}`);
  const content = childOf(xml.root, 'CORE-CONTENT', 'REQ-IF-CONTENT');
  if (!content) return refuse('The file has no REQ-IF-CONTENT');
  return new Reader(content).read();
}

interface SpecObject {
  readonly id: string;
  readonly kind: string;
  readonly values: ReadonlyMap<string, string>;
}

class Reader {
  private readonly remarks: Remark[] = [];
  private readonly attributeNames = new Map<string, string>();
  private readonly enumNames = new Map<string, string>();
  private readonly typeNames = new Map<string, string>();

  constructor(private readonly content: XmlElement) {}

  read(): ReadTable {
    const id = (e: XmlElement): string => e.attributes.IDENTIFIER ?? '';
    const nameOf = (e: XmlElement): string => e.attributes['LONG-NAME'] || id(e);
    for (const d of childrenOf(childOf(this.content, 'DATATYPES'))) {
      for (const v of childrenOf(childOf(d, 'SPECIFIED-VALUES'))) this.enumNames.set(id(v), nameOf(v));
    }
    for (const t of childrenOf(childOf(this.content, 'SPEC-TYPES'))) {
      this.typeNames.set(id(t), nameOf(t));
      for (const a of childrenOf(childOf(t, 'SPEC-ATTRIBUTES'))) this.attributeNames.set(id(a), nameOf(a));
    }
    const objects = new Map<string, SpecObject>();
    for (const e of childrenOf(childOf(this.content, 'SPEC-OBJECTS'))) {
      const object = this.object(e);
      if (object.id === '') this.say('warning', 'An object without an IDENTIFIER was left out');
      else if (objects.has(object.id))
        this.say('warning', `Two objects have the identifier ${object.id}: the second was left out`);
      else objects.set(object.id, object);
    }
    const used = new Set<string>();
    const sheets = childrenOf(childOf(this.content, 'SPECIFICATIONS')).map((s) =>
      this.sheet(nameOf(s), s, objects, used),
    );
    const loose = [...objects.values()].filter((o) => !used.has(o.id));
    if (loose.length > 0) {
      if (sheets.length > 0)
        this.say('info', `${loose.length} object${loose.length === 1 ? ' stands' : 's stand'} in no specification`);
      sheets.push(
        table(
          'Objects in no specification',
          loose.map((object) => ({ object, parent: '' })),
        ),
      );
    }
    const relations = childrenOf(childOf(this.content, 'SPEC-RELATIONS')).flatMap((r): SheetRelation[] => {
      const from = textOf(childrenOf(childOf(r, 'SOURCE'))[0]).trim();
      const to = textOf(childrenOf(childOf(r, 'TARGET'))[0]).trim();
      const missing = [from, to].find((x) => !objects.has(x));
      if (missing !== undefined) {
        this.say(
          'warning',
          `The relation ${id(r)} leads to ${missing === '' ? 'nothing' : `${missing}, which is not in the file`}; it was left out`,
        );
        return [];
      }
      const type = textOf(childrenOf(childOf(r, 'TYPE'))[0]).trim();
      return [{ from, to, type: this.typeNames.get(type) ?? '' }];
    });
    if (sheets.length === 0) this.say('warning', 'There are no objects in this file');
    return {
      value: { sheets: sheets.filter((s) => s.rows.length > 1 || sheets.length === 1), relations },
      remarks: this.remarks,
    };
  }

  private say(severity: Remark['severity'], message: string): void {
    if (this.remarks.length < 500) this.remarks.push(remark(severity, message));
  }

  private object(e: XmlElement): SpecObject {
    const id = e.attributes.IDENTIFIER ?? '';
    const type = textOf(childrenOf(childOf(e, 'TYPE'))[0]).trim();
    if (type === '') this.say('warning', `${id || 'An object'} has no type`);
    else if (!this.typeNames.has(type)) this.say('warning', `The type ${type} of ${id} is not in the file`);
    const values = new Map<string, string>();
    for (const v of childrenOf(childOf(e, 'VALUES'))) {
      const definition = textOf(childrenOf(childOf(v, 'DEFINITION'))[0]).trim();
      const name = this.attributeNames.get(definition) ?? definition;
      if (!this.attributeNames.has(definition))
        this.say(
          'warning',
          `A value of ${id} belongs to the attribute ${definition || '(none)'}, which is not in the file; it was kept under that name`,
        );
      values.set(name || 'Value', this.value(v, id, name));
    }
    return { id, kind: this.typeNames.get(type) ?? '', values };
  }

  private value(v: XmlElement, id: string, name: string): string {
    if (v.tag === 'ATTRIBUTE-VALUE-ENUMERATION') {
      return childrenOf(childOf(v, 'VALUES'))
        .map((r) => textOf(r).trim())
        .map((ref) => this.enumNames.get(ref) ?? ref)
        .join(', ');
    }
    if (v.tag === 'ATTRIBUTE-VALUE-XHTML') {
      const body = childOf(v, 'THE-VALUE');
      const lost = findTag(body, new Set(['object', 'table', 'img', 'a']));
      if (lost)
        this.say(
          'info',
          `${name} of ${id} has a ${lost === 'object' || lost === 'img' ? 'picture or embedded object' : lost === 'a' ? 'hyperlink' : lost}: only its text was read`,
        );
      return plainText(body);
    }
    return (v.attributes['THE-VALUE'] ?? textOf(childOf(v, 'THE-VALUE'))).trim();
  }

  private sheet(
    name: string,
    specification: XmlElement,
    objects: ReadonlyMap<string, SpecObject>,
    used: Set<string>,
  ): Sheet {
    const rows: { object: SpecObject; parent: string }[] = [];
    const visit = (e: XmlElement, parent: string, depth: number): void => {
      for (const h of childrenOf(childOf(e, 'CHILDREN'), 'SPEC-HIERARCHY')) {
        const ref = textOf(childrenOf(childOf(h, 'OBJECT'))[0]).trim();
        const object = objects.get(ref);
        if (!object)
          this.say('warning', `${name} lists ${ref || 'an object without a name'}, which is not in the file`);
        else if (used.has(ref))
          this.say('info', `${ref} stands in the hierarchy more than once; its first place counts`);
        else if (rows.length < mostRows) {
          used.add(ref);
          rows.push({ object, parent });
        }
        if (depth < 200) visit(h, object ? object.id : parent, depth + 1);
      }
    };
    visit(specification, '', 0);
    return table(name, rows);
  }
}

function table(name: string, rows: readonly { readonly object: SpecObject; readonly parent: string }[]): Sheet {
  const attributes = [...new Set(rows.flatMap((r) => [...r.object.values.keys()]))];
  const head = [fixedColumns.foreign, ...attributes, fixedColumns.parent, fixedColumns.kind];
  return {
    name,
    firstRow: 0,
    foreign: 0,
    rows: [
      head,
      ...rows.map(({ object, parent }) => [
        object.id,
        ...attributes.map((a) => object.values.get(a) ?? ''),
        parent,
        object.kind,
      ]),
    ],
  };
}

function findTag(e: XmlElement | undefined, tags: ReadonlySet<string>): string | undefined {
  for (const c of childrenOf(e)) {
    const found = tags.has(c.tag) ? c.tag : findTag(c, tags);
    if (found) return found;
  }
  return undefined;
}

const blocks: ReadonlySet<string> = new Set([
  'p',
  'div',
  'li',
  'br',
  'tr',
  'h1',
  'h2',
  'h3',
  'h4',
  'ul',
  'ol',
  'table',
]);

/** The text of an XHTML value; paragraphs and list items begin new lines. */
function plainText(e: XmlElement | undefined): string {
  const visit = (x: XmlElement): string =>
    x.children
      .map((c) =>
        typeof c === 'string'
          ? c.replace(/\s+/g, ' ')
          : blocks.has(c.tag)
            ? `\n${c.tag === 'li' ? '- ' : ''}${visit(c)}\n`
            : visit(c),
      )
      .join('');
  return e
    ? visit(e)
        .replace(/[ \t]*\n[ \t\n]*/g, '\n')
        .trim()
    : '';
}

// --- writing -----------------------------------------------------------------------------------------------------

export interface ReqifObject {
  /** Identifier of the object in the file. */
  readonly id: string;
  readonly key: string;
  readonly text: string;
  readonly kind: string;
  /** Identifier of the object above. */
  readonly parent: string;
  readonly attributes: readonly { readonly name: string; readonly value: string }[];
}

export interface ReqifDocument {
  readonly id: string;
  readonly title: string;
  readonly objects: readonly ReqifObject[];
  readonly relations: readonly SheetRelation[];
}

const stamp = '2026-01-01T00:00:00Z';

/** Writes requirements as ReqIF 1.2: one specification, one type of object, texts under the names of the standard's guide. */
export function writeReqif(document: ReqifDocument): string {
  const ids = new Identifiers(document.objects.map((o) => o.id));
  const names = [
    'ReqIF.ForeignID',
    'ReqIF.Text',
    'Kind',
    ...new Set(document.objects.flatMap((o) => o.attributes.map((a) => a.name))),
  ];
  const distinct = [...new Set(names)];
  const attributeId = new Map(distinct.map((name, k) => [name, ids.fresh(`attribute-${k + 1}`)]));
  const [type, specType, relationType, string, spec] = [
    'object-type',
    'specification-type',
    'relation-type',
    'text',
    `specification-${document.id}`,
  ].map((x) => ids.fresh(x));
  const x = escapeXml;
  const line: string[] = [];
  const out = (depth: number, text: string): void => void line.push(`${'  '.repeat(depth)}${text}`);
  const head = (id: string, name = ''): string =>
    `IDENTIFIER="${x(id)}" LAST-CHANGE="${stamp}"${name ? ` LONG-NAME="${x(name)}"` : ''}`;
  out(0, '<?xml version="1.0" encoding="UTF-8"?>');
  out(
    0,
    '<REQ-IF xmlns="http://www.omg.org/spec/ReqIF/20110401/reqif.xsd" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">',
  );
  out(1, '<THE-HEADER>');
  out(2, `<REQ-IF-HEADER IDENTIFIER="${x(ids.fresh(`header-${document.id}`))}">`);
  out(3, `<CREATION-TIME>${stamp}</CREATION-TIME>`);
  out(3, '<REQ-IF-TOOL-ID>Zelvar</REQ-IF-TOOL-ID>');
  out(3, '<REQ-IF-VERSION>1.0</REQ-IF-VERSION>');
  out(3, '<SOURCE-TOOL-ID>Zelvar</SOURCE-TOOL-ID>');
  out(3, `<TITLE>${x(document.title)}</TITLE>`);
  out(2, '</REQ-IF-HEADER>');
  out(1, '</THE-HEADER>');
  out(1, '<CORE-CONTENT>');
  out(2, '<REQ-IF-CONTENT>');
  out(3, '<DATATYPES>');
  out(4, `<DATATYPE-DEFINITION-STRING ${head(string, 'Text')} MAX-LENGTH="20000"/>`);
  out(3, '</DATATYPES>');
  out(3, '<SPEC-TYPES>');
  out(4, `<SPEC-OBJECT-TYPE ${head(type, 'Requirement')}>`);
  out(5, '<SPEC-ATTRIBUTES>');
  for (const name of distinct) {
    out(6, `<ATTRIBUTE-DEFINITION-STRING ${head(attributeId.get(name)!, name)}>`);
    out(7, `<TYPE><DATATYPE-DEFINITION-STRING-REF>${x(string)}</DATATYPE-DEFINITION-STRING-REF></TYPE>`);
    out(6, '</ATTRIBUTE-DEFINITION-STRING>');
  }
  out(5, '</SPEC-ATTRIBUTES>');
  out(4, '</SPEC-OBJECT-TYPE>');
  out(4, `<SPECIFICATION-TYPE ${head(specType, 'Specification')}/>`);
  if (document.relations.length > 0) out(4, `<SPEC-RELATION-TYPE ${head(relationType, 'Trace link')}/>`);
  out(3, '</SPEC-TYPES>');
  out(3, '<SPEC-OBJECTS>');
  for (const o of document.objects) {
    out(4, `<SPEC-OBJECT ${head(o.id)}>`);
    out(5, `<TYPE><SPEC-OBJECT-TYPE-REF>${x(type)}</SPEC-OBJECT-TYPE-REF></TYPE>`);
    out(5, '<VALUES>');
    const values = new Map([
      ['ReqIF.ForeignID', o.key],
      ['ReqIF.Text', o.text],
      ['Kind', o.kind],
      ...o.attributes.map((a) => [a.name, a.value] as const),
    ]);
    for (const [name, value] of values) {
      if (value === '') continue;
      out(6, `<ATTRIBUTE-VALUE-STRING THE-VALUE="${x(value).replace(/\n/g, '&#10;').replace(/\t/g, '&#9;')}">`);
      out(
        7,
        `<DEFINITION><ATTRIBUTE-DEFINITION-STRING-REF>${x(attributeId.get(name)!)}</ATTRIBUTE-DEFINITION-STRING-REF></DEFINITION>`,
      );
      out(6, '</ATTRIBUTE-VALUE-STRING>');
    }
    out(5, '</VALUES>');
    out(4, '</SPEC-OBJECT>');
  }
  out(3, '</SPEC-OBJECTS>');
  if (document.relations.length > 0) {
    out(3, '<SPEC-RELATIONS>');
    document.relations.forEach((r, k) => {
      out(4, `<SPEC-RELATION ${head(ids.fresh(`relation-${k + 1}`))}>`);
      out(5, `<SOURCE><SPEC-OBJECT-REF>${x(r.from)}</SPEC-OBJECT-REF></SOURCE>`);
      out(5, `<TARGET><SPEC-OBJECT-REF>${x(r.to)}</SPEC-OBJECT-REF></TARGET>`);
      out(5, `<TYPE><SPEC-RELATION-TYPE-REF>${x(relationType)}</SPEC-RELATION-TYPE-REF></TYPE>`);
      out(4, '</SPEC-RELATION>');
    });
    out(3, '</SPEC-RELATIONS>');
  }
  out(3, '<SPECIFICATIONS>');
  out(4, `<SPECIFICATION ${head(spec, document.title)}>`);
  out(5, `<TYPE><SPECIFICATION-TYPE-REF>${x(specType)}</SPECIFICATION-TYPE-REF></TYPE>`);
  const children = new Map<string, ReqifObject[]>();
  const known = new Set(document.objects.map((o) => o.id));
  for (const o of document.objects) {
    const parent = known.has(o.parent) ? o.parent : '';
    children.set(parent, [...(children.get(parent) ?? []), o]);
  }
  const seen = new Set<string>();
  const hierarchy = (parent: string, depth: number): void => {
    const list = (children.get(parent) ?? []).filter((o) => !seen.has(o.id));
    if (list.length === 0) return;
    out(depth, '<CHILDREN>');
    for (const o of list) {
      seen.add(o.id);
      out(depth + 1, `<SPEC-HIERARCHY ${head(ids.fresh(`place-${o.id}`))}>`);
      out(depth + 2, `<OBJECT><SPEC-OBJECT-REF>${x(o.id)}</SPEC-OBJECT-REF></OBJECT>`);
      hierarchy(o.id, depth + 2);
      out(depth + 1, '</SPEC-HIERARCHY>');
    }
    out(depth, '</CHILDREN>');
  };
  hierarchy('', 5);
  out(4, '</SPECIFICATION>');
  out(3, '</SPECIFICATIONS>');
  out(2, '</REQ-IF-CONTENT>');
  out(1, '</CORE-CONTENT>');
  out(0, '</REQ-IF>');
  return line.join('\n') + '\n';
}

/** Identifiers of a ReqIF file are unique in it and are XML names. */
class Identifiers {
  private readonly taken: Set<string>;
  constructor(given: readonly string[]) {
    this.taken = new Set(given);
  }
  fresh(base: string): string {
    const name = `_${base.replace(/[^\w.-]/g, '-')}`;
    for (let k = 1; ; k++) {
      const id = k === 1 ? name : `${name}-${k}`;
      if (this.taken.has(id)) continue;
      this.taken.add(id);
      return id;
    }
  }
}
