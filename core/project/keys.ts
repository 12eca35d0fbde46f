import type { Project } from './document';

const parts = (key: string): readonly [stem: string, digits: string] => {
  const [, stem, digits] = /^(.*?)(\d*)$/s.exec(key)!;
  return [stem, digits];
};

/** Gives identifiers that no requirement has or has had: the number after the highest of those that begin like one. */
export function freshKeys(project: Project): (like: string) => string {
  const highest = new Map<string, number>();
  const note = (key: string): void => {
    const [stem, digits] = parts(key);
    if (digits !== '') highest.set(stem, Math.max(highest.get(stem) ?? 0, Number(digits)));
  };
  for (const r of project.requirements) note(r.key);
  for (const r of project.retired) note(r.key);
  const taken = new Set([...project.requirements, ...project.retired].map((r) => r.key));
  return (like) => {
    const [stem, digits] = parts(like);
    const from = digits === '' && stem !== '' ? `${stem}-` : stem;
    for (let next = (highest.get(from) ?? 0) + 1; ; next++) {
      const key = `${from}${String(next).padStart(Math.max(2, digits.length), '0')}`;
      if (taken.has(key)) continue;
      highest.set(from, next);
      taken.add(key);
      return key;
    }
  };
}
