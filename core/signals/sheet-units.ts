import type { Expr } from '../language/ast';
import { parseExpressionText } from '../language/parse';
import { checkUnits, type UnitContext } from '../language/unit-check';
import { describeUnit, sameUnit, unitOrUndefined } from '../language/units';
import { signalBlocks, signalsPackage, type SignalBlock } from './catalogue';
import type { SheetSurroundings } from './surroundings';

/** Units that go through lines and blocks. */

/** What units are known on sheets: those of quantities, of lines before, and of what comes out of blocks. */
export function unitsOf(
  units: ReadonlyMap<string, string>,
  quantities: ReadonlyMap<string, { readonly unit: string }>,
  around: SheetSurroundings,
): UnitContext {
  const context: UnitContext = {
    unitOf({ parts }) {
      const path = parts.map((p) => p.name);
      const own = path.length === 1 ? quantities.get(path[0])?.unit : undefined;
      return own || units.get(path.join('.')) || around.unitOf(path);
    },
    unitOfResult(call) {
      const name = call.callee.startsWith(`${signalsPackage}.`) ? call.callee.slice(signalsPackage.length + 1) : '';
      const block = signalBlocks().continuous.get(name);
      return block && resultUnit(block, (k) => call.args[k] && unitIn(context, call.args[k]));
    },
  };
  return context;
}

/** The unit of a formula, where it is certain and can be written. */
export function unitIn(context: UnitContext, e: Expr): string | undefined {
  const found = checkUnits(e, context, () => undefined);
  if (!found || found.free || found.floats || found.open || found.literal) return undefined;
  const text = found.name ?? describeUnit(found.unit);
  const read = unitOrUndefined(text);
  return read && sameUnit(read, found.unit) ? text : undefined;
}

/** What a block says of the unit of its result, such as `u*s`, for the units of what it takes. */
export function resultUnit(block: SignalBlock, unitOfArgument: (k: number) => string | undefined): string | undefined {
  if (block.unit === undefined) return undefined;
  const { value, problems } = parseExpressionText(block.unit);
  if (problems.length > 0) return undefined;
  return unitIn(
    {
      unitOf({ parts: [{ name }] }) {
        const k = block.takes.findIndex((x) => x.name === name);
        return k < 0 ? name : unitOfArgument(k);
      },
    },
    value,
  );
}
