// `npm run help`: brings what docs/ say of the language into a module, section by section, for the help inside the application.
// With `--check` it only says whether the module is up to date.
import { readFileSync, writeFileSync } from 'node:fs';
import { marked } from 'marked';

const target = 'ui/help/help-texts.ts';
const docs = [
  'language',
  'physics',
  'control',
  'state-charts',
  'procedures',
  'sequences',
  'requirements',
  'code-and-boards',
  'proof',
];

/** Where something stands in the code is of no use to those who write a model. */
const withoutCode = (text) =>
  text
    .replace(/ ?\((?:[^()`]*)`(?:core|docs|ui|views|cli)\/[^`]*`[^()]*\)/g, '')
    .replace(/ (?:through|in|by) `[\w/.-]+\.(?:ts|tsx|mjs)`/g, '')
    .replace(/ ?\(docs\/[\w-]+\.md\)/g, '')
    .replace(/ \(`core\/[^`]*`\)/g, '');

/** For those who work on the application. */
const leftOut = new Set(['How it is proved', 'Tests', 'One list of steps']);

/** Links to other pages lead nowhere inside the application: they are named by their headings. */
const withoutLinks = (text) =>
  text.replace(/\[([^\]]*)\]\((?!https?:)([^)]*)\)/g, (_, words, to) => {
    const page = /^([\w-]+)\.md$/.exec(to)?.[1];
    const heading = page && docs.includes(page) && /^# (.*)$/m.exec(readFileSync(`docs/${page}.md`, 'utf8'))?.[1];
    return heading ? `_${heading.split(':')[0]}_` : words;
  });

const plain = (html) =>
  html
    .replace(/<[^>]*>/g, ' ')
    .replace(/&lt;/g, '<')
    .replace(/&gt;/g, '>')
    .replace(/&quot;/g, '"')
    .replace(/&#39;/g, "'")
    .replace(/&amp;/g, '&')
    .replace(/\s+/g, ' ')
    .trim();

function sectionsOf(doc) {
  const text = withoutLinks(withoutCode(readFileSync(`docs/${doc}.md`, 'utf8')));
  const sections = [];
  let name = doc;
  let current = { title: '', lines: [] };
  const end = () => {
    const body = current.lines.join('\n').trim();
    if (body !== '' && !leftOut.has(current.title))
      sections.push({ doc, name, title: current.title || name, html: marked.parse(body, { async: false }) });
  };
  let fenced = false;
  for (const line of text.split('\n')) {
    if (line.startsWith('```')) fenced = !fenced;
    const head = fenced ? null : /^(#{1,3}) (.*)$/.exec(line);
    if (!head) current.lines.push(line);
    else {
      end();
      if (head[1] === '#') name = head[2];
      current = { title: head[1] === '#' ? '' : head[2], lines: [] };
    }
  }
  end();
  return sections.map((s) => ({ ...s, title: plain(marked.parseInline(s.title)), text: plain(s.html) }));
}

function helpModule() {
  const rows = docs.flatMap(sectionsOf).map((s) => `  ${JSON.stringify(s)},\n`);
  return `// Written by \`npm run help\` from docs/; change those.\nimport type { HelpSection } from './help-section';\n\nexport const helpSections: readonly HelpSection[] = [\n${rows.join('')}];\n`;
}

const wanted = helpModule();
if (process.argv.includes('--check')) {
  if (readFileSync(target, 'utf8') !== wanted) {
    console.error(`${target} is older than docs/: run npm run help`);
    process.exit(1);
  }
} else writeFileSync(target, wanted);
