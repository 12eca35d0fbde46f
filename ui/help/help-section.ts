/** A section of what docs/ say of the language. */
export interface HelpSection {
  /** The page it is from: its file, and what it is called. */
  readonly doc: string;
  readonly name: string;
  readonly title: string;
  readonly html: string;
  /** The same without marks, to be searched. */
  readonly text: string;
}

/** Sections that have all words, those with a word in their title first. */
export function findSections(sections: readonly HelpSection[], words: string): readonly HelpSection[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  if (wanted.length === 0) return sections;
  return sections
    .flatMap((s) => {
      const title = `${s.name} ${s.title}`.toLowerCase();
      const text = s.text.toLowerCase();
      if (!wanted.every((w) => title.includes(w) || text.includes(w))) return [];
      const often = wanted.reduce((sum, w) => sum + (title.includes(w) ? 100 : 0) + text.split(w).length - 1, 0);
      return [{ s, often }];
    })
    .sort((a, b) => b.often - a.often)
    .map((x) => x.s);
}

/** Where words stand in a text, with a little around them. */
export function excerpt(text: string, words: string): string {
  const [first] = words.toLowerCase().split(/\s+/).filter(Boolean);
  const at = first === undefined ? 0 : Math.max(0, text.toLowerCase().indexOf(first));
  const from = Math.max(0, at - 40);
  return `${from > 0 ? '… ' : ''}${text.slice(from, from + 130).trim()}${from + 130 < text.length ? ' …' : ''}`;
}
