import { listFields } from './address';
import { projectFields } from './document';
import { documentJson, type EntryDescription, type JsonSchema } from './field';

/**
 * The published schema of project files (JSON Schema, draft 2020-12). It says all that the description of the document says,
 * save two things JSON Schema has no words for: which texts are units, and that ids do not repeat within a list.
 */
export function projectJsonSchema(): JsonSchema {
  const kinds = new Map<string, EntryDescription>();
  const collect = (fields: typeof projectFields | EntryDescription['fields']): void => {
    for (const { description } of listFields(fields).values()) {
      const name = description.schema ?? description.kind;
      const known = kinds.get(name);
      if (known === description) continue;
      // lines of flows and of sequences have the same fields
      if (known && JSON.stringify(documentJson(known.fields)) !== JSON.stringify(documentJson(description.fields)))
        throw new Error(`Two kinds of entries are called ${name} in the schema`);
      kinds.set(name, description);
      collect(description.fields);
    }
  };
  collect(projectFields);
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Zelvar project',
    description: 'A project file: this JSON, or a zip archive with it as project.json.',
    ...documentJson(projectFields),
    $defs: Object.fromEntries(
      [...kinds]
        .sort(([a], [b]) => (a < b ? -1 : 1))
        .map(([kind, d]) => [kind, { title: d.word, ...documentJson(d.fields) }]),
    ),
  };
}
