import { problem, type Problem } from '../language/diagnostics';
import { newChart, type Chart } from '../project/project';
import { stateName } from './ecmascript';
import { skip, type Reading, type ScxmlFile } from './scxml-reading';
import { data, inside, nameStates } from './scxml-states';
import { readXml, type XmlElement } from './xml';

/** Name of our language as the data model of a file. */
export const languageName = 'zelvar';

export function readScxml(
  text: string,
  options: Reading['options'] = {},
): { value: ScxmlFile | undefined; problems: Problem[] } {
  const problems: Problem[] = [];
  const xml = readXml(text);
  if (!xml.root) return { value: undefined, problems: [problem('error', 'xml', `Line ${xml.line}: ${xml.problem}`)] };
  if (xml.root.tag !== 'scxml')
    return {
      value: undefined,
      problems: [problem('error', 'scxml', `This is not a state chart: its element is ${xml.root.tag}, not scxml`)],
    };
  return { value: readRoot(xml.root, /_event\.sendid|sendidexpr/.test(text), problems, options), problems };
}

function readRoot(root: XmlElement, idsAreRead: boolean, problems: Problem[], options: Reading['options']): ScxmlFile {
  const { datamodel } = root.attributes;
  const r: Reading = {
    root,
    own: datamodel === languageName,
    idsAreRead,
    options,
    problems,
    states: [],
    transitions: [],
    values: [],
    services: [],
    names: new Map(),
    idOf: new Map(),
    dataNames: new Set(),
    sendIds: new Map(),
    late: new Map(),
    count: 0,
    inner: (e) => readRoot(e, idsAreRead, problems, options),
    other: (text) => readScxml(text, options).value,
  };
  nameStates(r, root);
  if (!r.own && datamodel !== undefined && !/^ecmascript$|^null$/i.test(datamodel))
    skip(r, `The data model ${datamodel}: its texts are read as ECMAScript, which`);
  data(r, root);
  inside(r, root, null);
  const chart: Chart = {
    ...newChart('c-imported', stateName(options.name ?? root.attributes.name ?? 'mode')),
    period: r.own ? (root.attributes['z:period'] ?? '') : '',
    values: r.values,
    states: r.states,
    transitions: r.transitions,
  };
  return { chart, ids: new Map([...r.names].map(([id, name]) => [name, id])), services: r.services };
}
