import { problem, type Problem } from '../language/diagnostics';
import { baudOf } from './write-link';
import { boardNamed, type Board } from './board';
import type { PartType, Setup } from '../project/project';
import { pinNameOn } from '../pins/channels';
import { chips } from '../pins/chips';
import { bytesPerSecond, mostWatched, tellingLength } from '../serial/messages';

/** Lines that differ by more do not understand each other for sure. */
const mostOff = 0.03;
/** A line is not loaded with more: what is damaged has to be said anew. */
const mostLoad = 0.85;

/** What is wrong with the serial lines of a setup. `typeOf`: the type of a part, and the seconds between its steps where they are known. */
export function checkSerial(
  setup: Setup,
  boards: readonly Board[],
  typeOf: (part: string) => { readonly type: PartType; readonly period: number | undefined } | undefined,
): readonly Problem[] {
  const found: Problem[] = [];
  const used = new Set<string>();
  setup.serial.forEach(({ part, baud, every }, k) => {
    const tell = (field: string, message: string, severity: Problem['severity'] = 'error'): number =>
      found.push({ ...problem(severity, 'serial', message), place: `setup/${setup.id}/serial/${k}/${field}` });
    const of = typeOf(part);
    if (!of) return void tell('part', `There is no part ${part} of a type of the project`);
    if (used.has(part)) tell('part', `${part} has a serial line already`);
    used.add(part);
    const stage = setup.stages.find((s) => s.part === part);
    if (stage?.stage !== 'board')
      return void tell('part', `${part} is not on a board here: it has no serial line`, 'warning');
    const board = boardNamed(stage.board, boards);
    if (!board) return undefined;
    const real = baudOf(board, baud).baud;
    if (Math.abs(real / baud - 1) > mostOff)
      tell('baud', `The nearest to ${baud} bits per second that ${board.name} can make are ${Math.round(real)}`);
    for (const c of of.type.channels) {
      const pin = pinNameOn(c, board);
      if (pin !== '' && board.serial.includes(pin))
        tell('part', `${pin} of ${board.name} is needed for the serial line, and taken by ${c.name}`);
    }
    if (board.serial.includes(''))
      tell('part', `${board.name} leads no serial line outside: it takes pins ${serialPins(board)} of its chip`);
    const heard = setup.heard.filter((name) => name.startsWith(`${part}.`));
    const names = new Set(of.type.quantities.flatMap((q) => (q.role === 'constant' ? [] : [`${part}.${q.name}`])));
    for (const name of heard.filter((n) => !names.has(n)))
      tell('part', `${name} is no quantity of ${part} itself: it is not told`);
    if (heard.length > mostWatched)
      tell('part', `${heard.length} quantities of ${part} are to be told: ${mostWatched} can be`);
    if (of.period === undefined) return undefined;
    const share = tellingLength(Math.min(mostWatched, heard.length)) / (bytesPerSecond(baud) * every * of.period);
    if (share > mostLoad)
      tell(
        'every',
        `What is to be told is ${Math.round(100 * share)} % of what the line can carry: ${share > 1 ? 'some of it will be left out' : 'little is left for what has to be said anew'}`,
        'warning',
      );
    return undefined;
  });
  return found;
}

const serialPins = ({ chip }: Board): string => chips[chip].serial.map((n) => n + 1).join(' and ');
