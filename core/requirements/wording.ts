import { problem, type Problem } from '../language/diagnostics';

/** Words that mean something else to everybody who reads them, with what to write instead. */
const vague: readonly (readonly [pattern: RegExp, advice: string])[] = [
  [
    /\b(fast|quick|quickly|rapid|rapidly|slow|slowly|soon|immediately|promptly|timely|in time)\b/giu,
    'say how soon: "within 0.2 s"',
  ],
  [
    /\b(sufficient|sufficiently|adequate|adequately|enough|appropriate|appropriately|suitable|reasonable|acceptable|proper|properly|correctly|normal|normally|nominal conditions)\b/giu,
    'say what is measured, and its limit',
  ],
  [/\b(approximately|about|around|roughly|nearly|almost|circa)\b(?=\s+\d)/giu, 'give a tolerance: "5 V ± 0.1 V"'],
  [
    /\b(easy|easily|simple|user-friendly|intuitive|convenient|ergonomic|robust|reliable|reliably|flexible|efficient|smooth|smoothly|safe|safely)\b/giu,
    'say how it would be tested',
  ],
  [/\b(and\/or)\b/giu, 'say "or", or write two requirements'],
  [/\b(TBD|TBC|TBS|tbd|to be defined|to be determined|to be confirmed|\?\?+)(?=\W|$)/gu, 'this is still open'],
  [/\b(etc|and so on|such as|including but not limited to)\b/giu, 'list all of them'],
  [
    /\b(some|several|few|many|most|various|minimal|maximal|as possible|if possible|where possible|if necessary|as required|as needed|when needed)\b(?!\s+of\b)/giu,
    'say how many, or when',
  ],
  [/\b(should|may|might|could|will)\b/giu, 'what is required says "shall"'],
  [/\b(best|worst|better|worse|optimal|optimum|state of the art)\b/giu, 'give a number to compare with'],
];
const notInFront = /\b(at most|at least|the most)$/i;

/** Words of a requirement that leave its meaning open, each with its place. */
export function wordingProblems(text: string): Problem[] {
  const found: Problem[] = [];
  for (const [pattern, advice] of vague) {
    for (const match of text.matchAll(pattern)) {
      const span = { start: match.index, end: match.index + match[0].length };
      if (notInFront.test(text.slice(0, span.end))) continue;
      found.push(problem('info', 'wording', `"${match[0]}" leaves open what is meant: ${advice}`, span));
    }
  }
  const shalls = [...text.matchAll(/\bshall\b/g)];
  if (shalls.length > 1 && !/\band shall\b/.test(text)) {
    const [, second] = shalls;
    found.push(
      problem('info', 'wording', 'Two requirements in one text: each gets its own verdict when it has its own id', {
        start: second.index,
        end: second.index + 5,
      }),
    );
  }
  return found.sort((a, b) => a.span!.start - b.span!.start);
}
