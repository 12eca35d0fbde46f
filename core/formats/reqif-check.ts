import { table } from '../language/table';
import { childrenOf, textOf, type XmlElement } from './xml';

/** What stands in what, in which order, with which attributes: the part of the ReqIF 1.2 schema that our writer uses. */
const identified = ['IDENTIFIER', 'LAST-CHANGE'] as const;
interface Rule {
  readonly attributes: readonly string[];
  /** Children in their order; `*` any number, `?` at most one, otherwise exactly one. */
  readonly children: readonly string[];
}
const rules: Readonly<Record<string, Rule>> = table({
  'REQ-IF': { attributes: [], children: ['THE-HEADER', 'CORE-CONTENT', 'TOOL-EXTENSIONS?'] },
  'THE-HEADER': { attributes: [], children: ['REQ-IF-HEADER'] },
  'REQ-IF-HEADER': {
    attributes: ['IDENTIFIER'],
    children: [
      'COMMENT?',
      'CREATION-TIME',
      'REPOSITORY-ID?',
      'REQ-IF-TOOL-ID',
      'REQ-IF-VERSION',
      'SOURCE-TOOL-ID',
      'TITLE',
    ],
  },
  'CORE-CONTENT': { attributes: [], children: ['REQ-IF-CONTENT'] },
  'REQ-IF-CONTENT': {
    attributes: [],
    children: [
      'DATATYPES?',
      'SPEC-TYPES?',
      'SPEC-OBJECTS?',
      'SPEC-RELATIONS?',
      'SPECIFICATIONS?',
      'SPEC-RELATION-GROUPS?',
    ],
  },
  DATATYPES: { attributes: [], children: ['DATATYPE-DEFINITION-STRING*'] },
  'DATATYPE-DEFINITION-STRING': { attributes: [...identified, 'MAX-LENGTH'], children: [] },
  'SPEC-TYPES': { attributes: [], children: ['SPEC-OBJECT-TYPE*', 'SPECIFICATION-TYPE*', 'SPEC-RELATION-TYPE*'] },
  'SPEC-OBJECT-TYPE': { attributes: identified, children: ['SPEC-ATTRIBUTES?'] },
  'SPEC-ATTRIBUTES': { attributes: [], children: ['ATTRIBUTE-DEFINITION-STRING*'] },
  'ATTRIBUTE-DEFINITION-STRING': { attributes: identified, children: ['TYPE'] },
  'SPECIFICATION-TYPE': { attributes: identified, children: [] },
  'SPEC-RELATION-TYPE': { attributes: identified, children: [] },
  'SPEC-OBJECTS': { attributes: [], children: ['SPEC-OBJECT*'] },
  'SPEC-OBJECT': { attributes: identified, children: ['TYPE', 'VALUES?'] },
  VALUES: { attributes: [], children: ['ATTRIBUTE-VALUE-STRING*'] },
  'ATTRIBUTE-VALUE-STRING': { attributes: ['THE-VALUE'], children: ['DEFINITION'] },
  'SPEC-RELATIONS': { attributes: [], children: ['SPEC-RELATION*'] },
  'SPEC-RELATION': { attributes: identified, children: ['SOURCE', 'TARGET', 'TYPE'] },
  SPECIFICATIONS: { attributes: [], children: ['SPECIFICATION*'] },
  SPECIFICATION: { attributes: identified, children: ['TYPE', 'CHILDREN?'] },
  CHILDREN: { attributes: [], children: ['SPEC-HIERARCHY*'] },
  'SPEC-HIERARCHY': { attributes: identified, children: ['OBJECT', 'CHILDREN?'] },
});

/** What is wrong with a ReqIF document by the rules above: structure, identifiers, references. */
export function checkReqif(root: XmlElement): string[] {
  const problems: string[] = [];
  const ids = new Map<string, string>();
  const references: { tag: string; id: string }[] = [];
  const visit = (e: XmlElement, path: string): void => {
    const here = `${path}/${e.tag}`;
    if (e.tag.endsWith('-REF')) {
      references.push({ tag: e.tag.slice(0, -4), id: textOf(e).trim() });
      return;
    }
    const rule = rules[e.tag];
    if (rule) {
      for (const a of rule.attributes) if (!(a in e.attributes)) problems.push(`${here}: ${a} is missing`);
      const tags = childrenOf(e).map((c) => c.tag);
      const pattern = new RegExp(
        `^${rule.children.map((c) => `(?:${c.replace(/[*?]$/, '')} )${/[*?]$/.exec(c)?.[0] ?? ''}`).join('')}$`,
      );
      if (!pattern.test(tags.map((t) => `${t} `).join('')))
        problems.push(
          `${here}: has ${tags.join(', ') || 'nothing'}; expected ${rule.children.join(', ') || 'nothing'}`,
        );
    } else if (
      ![
        'TYPE',
        'SOURCE',
        'TARGET',
        'OBJECT',
        'DEFINITION',
        'CREATION-TIME',
        'REQ-IF-TOOL-ID',
        'REQ-IF-VERSION',
        'SOURCE-TOOL-ID',
        'TITLE',
      ].includes(e.tag)
    )
      problems.push(`${here}: not expected`);
    const id = e.attributes.IDENTIFIER;
    if (id !== undefined) {
      if (ids.has(id)) problems.push(`${here}: the identifier ${id} is there twice`);
      ids.set(id, e.tag);
    }
    for (const c of childrenOf(e)) visit(c, here);
  };
  visit(root, '');
  if (root.tag !== 'REQ-IF') problems.push(`The outermost element is ${root.tag}`);
  for (const { tag, id } of references)
    if (ids.get(id) !== tag)
      problems.push(`A reference to the ${tag} ${id} leads ${ids.has(id) ? `to a ${ids.get(id)}` : 'nowhere'}`);
  return problems;
}
