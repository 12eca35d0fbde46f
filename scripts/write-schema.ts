// `npm run schema`: writes the published schema of project files.
import { writeFileSync } from 'node:fs';
import { projectJsonSchema } from '../core/project/json-schema';

writeFileSync('docs/project-file.schema.json', JSON.stringify(projectJsonSchema(), null, 2) + '\n');
