import { execFileSync } from 'node:child_process';
import { excerpt, findSections } from './help-section';
import { helpSections } from './help-texts';

test('the help is what docs/ say now', () => {
  expect(() => execFileSync(process.execPath, ['scripts/write-help.mjs', '--check'], { stdio: 'pipe' })).not.toThrow();
});
test('every page has sections, and none speaks of the code', () => {
  expect([...new Set(helpSections.map((s) => s.doc))]).toEqual([
    'language',
    'physics',
    'control',
    'state-charts',
    'procedures',
    'sequences',
    'requirements',
    'code-and-boards',
    'proof',
  ]);
  for (const s of helpSections) {
    expect(s.title).not.toBe('');
    expect(s.html).not.toMatch(/<script|onerror|javascript:/i);
    // a link would leave the application
    expect(s.html).not.toMatch(/<a\s|<img\s/);
  }
});
test('sections are found by their words, the nearest first', () => {
  expect(findSections(helpSections, 'convert')[0].text).toContain('convert');
  expect(findSections(helpSections, 'four additions')[0].title).toBe('The four additions');
  expect(findSections(helpSections, 'history choice').every((s) => /history/i.test(s.text + s.title))).toBe(true);
  expect(findSections(helpSections, 'xyzzy')).toEqual([]);
  expect(findSections(helpSections, '  ')).toBe(helpSections);
});
test('an excerpt shows the word', () => {
  const text = `${'word '.repeat(50)}needle ${'word '.repeat(50)}`;
  expect(excerpt(text, 'needle')).toContain('needle');
  expect(excerpt(text, 'needle').length).toBeLessThan(150);
  expect(excerpt('short', '')).toBe('short');
});
