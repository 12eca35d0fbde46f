import { writeFileSync } from 'node:fs';
import { writeProjectJson } from '../core/formats/project-file';
import { tubeCapper } from '../samples/tube-capper';

writeFileSync(new URL('../samples/tube-capper.zelvar.json', import.meta.url), writeProjectJson(tubeCapper));
