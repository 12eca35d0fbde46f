// `npm run library`: brings the texts of the library of parts (core/components/*.mo) into a module, as bundlers take only those.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { pathToFileURL } from 'node:url';

const folder = 'core/components';

/** What the module holds for the texts as they are now. */
export function libraryModule() {
  const texts = readdirSync(folder)
    .filter((name) => name.endsWith('.mo'))
    .sort()
    .map((name) => `  ${name.slice(0, -3)}: ${JSON.stringify(readFileSync(`${folder}/${name}`, 'utf8'))},\n`);
  return `// Written by \`npm run library\` from the .mo files beside it; change those.\nexport const libraryTexts = {\n${texts.join('')}} as const;\n`;
}

if (import.meta.url === pathToFileURL(process.argv[1]).href)
  writeFileSync(`${folder}/library-texts.ts`, libraryModule());
