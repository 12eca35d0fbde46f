import { table } from '../language/table';
import { XMLParser, XMLValidator } from 'fast-xml-parser';

/** An element of an XML document without the prefix of its namespace; texts are children of their own. */
export interface XmlElement {
  readonly tag: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: readonly (XmlElement | string)[];
}

export type ReadXml =
  | { readonly root: XmlElement; readonly problem?: undefined }
  | { readonly root?: undefined; readonly problem: string; readonly line: number };

type Ordered = Record<string, unknown>;

/**
 * A well-formed XML document as a tree. Documents that declare entities are refused: they are how small files are made
 * to grow without bound, and none of our formats needs them.
 */
export function readXml(text: string): ReadXml {
  const doctype = /<!(DOCTYPE|ENTITY)/i.exec(withoutComments(text.slice(0, 200_000)));
  if (doctype)
    return {
      problem:
        'The file declares a document type or entities of its own, which could make it grow without bound; it was not read',
      line: lineAt(text, doctype.index),
    };
  const valid = XMLValidator.validate(text, { allowBooleanAttributes: false });
  if (valid !== true) return { problem: `This is not well-formed XML: ${valid.err.msg}`, line: valid.err.line };
  const parser = new XMLParser({
    preserveOrder: true,
    ignoreAttributes: false,
    attributeNamePrefix: '',
    processEntities: false,
    trimValues: false,
    parseTagValue: false,
    parseAttributeValue: false,
    commentPropName: '#comment',
    cdataPropName: '#cdata',
    removeNSPrefix: false,
  });
  let nodes: Ordered[];
  try {
    nodes = parser.parse(text) as Ordered[];
  } catch (error) {
    // what the validator lets through and the parser does not take: elements in elements without end
    return {
      problem: `This XML cannot be read: ${error instanceof Error ? error.message.toLowerCase() : ''}`,
      line: 1,
    };
  }
  const [root, second] = nodes
    .map(elementOf)
    .filter((e): e is XmlElement => typeof e === 'object' && !e.tag.startsWith('?'));
  if (!root) return { problem: 'There is no element in this file', line: 1 };
  if (!second) return { root };
  return {
    problem: `This is not well-formed XML: beside ${root.tag} there is a second outermost element, ${second.tag}`,
    line: lineAt(text, text.lastIndexOf(`<${second.tag}`)),
  };
}

/** Blanks in place of comments. */
function withoutComments(text: string): string {
  const kept: string[] = [];
  for (let at = 0; at < text.length;) {
    const open = text.indexOf('<!--', at);
    const close = open < 0 ? -1 : text.indexOf('-->', open + 4);
    if (close < 0) {
      kept.push(text.slice(at));
      break;
    }
    kept.push(text.slice(at, open), ' '.repeat(close + 3 - open));
    at = close + 3;
  }
  return kept.join('');
}

const lineAt = (text: string, index: number): number => text.slice(0, index).split('\n').length;

function elementOf(node: Ordered): XmlElement | string | undefined {
  if ('#text' in node) return decodeEntities(String(node['#text']));
  if ('#comment' in node) return undefined;
  // what stands in it is meant as it is written
  if ('#cdata' in node) return (node['#cdata'] as Ordered[]).map((x) => String(x['#text'])).join('');
  const name = Object.keys(node).find((k) => k !== ':@');
  if (name === undefined) return undefined;
  const attributes = Object.fromEntries(
    Object.entries((node[':@'] as Record<string, string> | undefined) ?? {}).map(([k, v]) => [k, decodeEntities(v)]),
  );
  const children = Array.isArray(node[name])
    ? (node[name] as Ordered[]).map(elementOf).filter((c): c is XmlElement | string => c !== undefined)
    : [];
  return { tag: name.replace(/^[^:?]*:/, ''), attributes, children };
}

const named: Readonly<Record<string, string>> = table({
  lt: '<',
  gt: '>',
  amp: '&',
  quot: '"',
  apos: "'",
  nbsp: '\u00a0',
});

const decodeEntities = (text: string): string =>
  text.replace(
    /&(?:#(\d+)|#x([0-9a-fA-F]+)|(\w+));/g,
    (all, decimal: string | undefined, hex: string | undefined, name: string | undefined) => {
      const code = decimal ? Number(decimal) : hex ? parseInt(hex, 16) : undefined;
      if (code !== undefined) return code > 0 && code <= 0x10ffff ? String.fromCodePoint(code) : '';
      return named[name!] ?? all;
    },
  );

export const childrenOf = (e: XmlElement | undefined, tag?: string): XmlElement[] =>
  e ? e.children.filter((c): c is XmlElement => typeof c === 'object' && (tag === undefined || c.tag === tag)) : [];
export const childOf = (e: XmlElement | undefined, ...path: readonly string[]): XmlElement | undefined =>
  path.reduce<XmlElement | undefined>((at, tag) => childrenOf(at, tag)[0], e);
export const textOf = (e: XmlElement | undefined): string =>
  e ? e.children.map((c) => (typeof c === 'string' ? c : textOf(c))).join('') : '';

export { escapeXml } from '../language/escape';
