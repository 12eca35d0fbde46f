import { admitted, inputText } from './input';
import { kindsOf, meanings, type Trial } from './properties';
import { quantityOf, short, tolerance, type Asking, type PropertyAnswer } from './report';
import { hasTicks, periodOf } from './ticks';
import { fixedTrials } from './trials';

/** Whether the output jumps with the input. */
export function passage(asking: Asking): PropertyAnswer {
  const { box, structure, space, effort } = asking;
  let [inputs, runs, failed] = [0, 0, 0];
  const ways = structure.passage ?? [];
  const ticking = box.model.equations.find(hasTicks);
  const every = ticking ? periodOf(box, ticking) : NaN;
  const lively = fixedTrials('causal', space, Math.max(6, Math.ceil(effort / 3)));
  // jumps of every size out of nothing come first
  const kinds = kindsOf(box);
  const plain: Trial[] = space.sizes.flatMap((by) =>
    kinds.map((_, of) => ({ ...lively[0], u: { steps: [], waves: [] }, bump: { ...lively[0].bump, by, of } })),
  );
  const base = [...plain, ...lively];
  for (const t of base) {
    for (const [at, by] of [
      [t.bump.begin, t.bump.by],
      [t.bump.begin, -t.bump.by],
      // a value that is set at ticks is looked at there
      ...(every > 0 ? [[Math.ceil(t.bump.begin / every) * every, t.bump.by] as const] : []),
    ] as const) {
      const { of = 0 } = t.bump;
      const jump = of === 0 ? { at, by } : { at, by, of };
      const input = admitted(
        { steps: [...t.u.steps, jump].sort((a, b) => a.at - b.at), waves: t.u.waves },
        kinds,
        space.stop,
      );
      // rows close to the jump, so that what follows it soon is not taken for it
      const window = { stop: at + space.stop * 1e-6, rows: 8 };
      const [jumped, still] = [box.run(input, window), box.run(t.u, window)];
      inputs++;
      runs += 2;
      if (jumped.problem || still.problem) {
        failed++;
        continue;
      }
      const own = jumped.events.findLast((e) => Math.abs(e.time - at) < 1e-9 * Math.max(1, at));
      const other = still.events.findLast((e) => Math.abs(e.time - at) < 1e-9 * Math.max(1, at));
      if (!own) continue;
      const without = other ? other.after : own.before;
      const scale = Math.max(Math.abs(own.after), Math.abs(without), 1e-9 * Math.abs(by));
      const difference = Math.abs(own.after - without) / scale;
      if (difference < tolerance) continue;
      const [first] = ways;
      const equation = structure.equations.find((e) => e.origin === first);
      return {
        property: 'causal',
        holds: false,
        meaning: meanings.causal,
        because: `at ${short(at)} s ${kinds.length > 1 ? box.inputs[of].name : 'the input'} ${kinds[of] === 'truth' ? 'turns' : `jumps by ${short(by)}`}, and the output at the same moment from ${short(without)} to ${short(own.after)}`,
        counterexample: {
          inputs: [
            { label: 'with the jump', input, text: inputText(input, box.inputs), shift: 0 },
            { label: 'without it', input: t.u, text: inputText(t.u, box.inputs), shift: 0 },
          ],
          at,
          leftText: 'output just after the input has jumped',
          rightText: 'output at that moment without the jump',
          left: own.after,
          right: without,
          traces: {
            time: [0, at, at],
            left: [own.before, own.before, own.after],
            right: [own.before, own.before, without],
          },
        },
        difference,
        culprit: first && {
          quantity: equation ? quantityOf(box, equation) : '',
          equation: first.text,
          place: first.place,
          part: first.part,
          piece: '',
          without: `the way through at once: ${ways.map((o) => o.text).join(', then ')}`,
        },
        tried: { inputs, runs, failed, seed: space.seed },
      };
    }
  }
  return {
    property: 'causal',
    holds: 'not refuted',
    meaning: meanings.causal,
    because: `there is a way from the input to the output at once, but none of ${inputs} jumps of the input showed at the same moment`,
    counterexample: undefined,
    difference: 0,
    culprit: undefined,
    tried: { inputs, runs, failed, seed: space.seed },
  };
}
