// `npm run responses`: computes the curves that offers of signal sheets show.
import { writeFileSync } from 'node:fs';
import { allResponses } from '../core/testing/block-responses';

const rows = Object.entries(allResponses()).map(([key, r]) => `  ${JSON.stringify(key)}: ${JSON.stringify(r)},\n`);
writeFileSync(
  'core/signals/response-table.ts',
  `// Written by \`npm run responses\` with the simulator, from the blocks as they are.\nexport const responses = {\n${rows.join('')}} as const;\n`,
);
