import type { Expr } from '../language/ast';
import { signalBlocks } from './catalogue';
import { partOnLine } from './several-outputs';
import type { BlockLine } from './sheet-lines';
import type { SheetSurroundings, WireType } from './surroundings';

/** Types of the names that lines bring, from their formulas; what goes round in a circle is a number. */
export function wireTypes(
  lines: ReadonlyMap<string, BlockLine>,
  quantities: ReadonlyMap<string, { readonly type: WireType }>,
  around: SheetSurroundings,
): ReadonlyMap<string, WireType> {
  const found = new Map<string, WireType>();
  const open = new Set<string>();
  const ofName = (name: string): WireType => {
    const known = quantities.get(name)?.type ?? found.get(name);
    if (known) return known;
    const line = lines.get(name);
    if (!line || open.has(name)) return 'Real';
    open.add(name);
    // a plain number may become one with a fraction
    const type = line.expr.kind === 'number' ? 'Real' : typeOf(line.expr);
    open.delete(name);
    found.set(name, type);
    return type;
  };
  const typeOf = (e: Expr): WireType => {
    switch (e.kind) {
      case 'boolean':
        return 'Boolean';
      case 'number':
        return e.unit === undefined && Number.isInteger(e.value) ? 'Integer' : 'Real';
      case 'unary':
        return e.op === 'not' ? 'Boolean' : typeOf(e.operand);
      case 'binary': {
        if (['and', 'or', '<', '<=', '>', '>=', '==', '<>'].includes(e.op)) return 'Boolean';
        if (e.op === '/' || e.op === './') return 'Real';
        return typeOf(e.left) === 'Integer' && typeOf(e.right) === 'Integer' ? 'Integer' : 'Real';
      }
      case 'if': {
        const all = [...e.branches.map((b) => typeOf(b.value)), typeOf(e.otherwise)];
        return all.every((t) => t === all[0]) ? all[0] : 'Real';
      }
      case 'call': {
        if (truths.has(e.callee)) return 'Boolean';
        if (wholes.has(e.callee)) return 'Integer';
        if (e.callee === 'pre' && e.args[0]) return typeOf(e.args[0]);
        const { continuous, sampled } = signalBlocks();
        const block = continuous.get(e.callee) ?? sampled.get(e.callee);
        const own = block ? undefined : around.partType(e.callee)?.quantities.find((q) => q.role === 'output');
        return block?.givesType ?? own?.type ?? 'Real';
      }
      case 'array':
        return e.elements.every((x) => typeOf(x) === typeOf(e.elements[0])) && e.elements[0]
          ? e.elements[0].kind === 'number'
            ? 'Real'
            : typeOf(e.elements[0])
          : 'Real';
      case 'ref': {
        const path = e.parts.map((p) => p.name);
        if (path.length === 1 && (lines.has(path[0]) || quantities.has(path[0]))) return ofName(path[0]);
        const part = path.length === 2 ? partOnLine(lines.get(path[0])?.expr, around) : undefined;
        const output = part?.outputs.find((q) => q.name === path[1]);
        return output?.type ?? around.typeOf(path) ?? 'Real';
      }
      default:
        return 'Real';
    }
  };
  for (const name of lines.keys()) ofName(name);
  return found;
}
const truths: ReadonlySet<string> = new Set(['in', 'edge', 'change', 'initial', 'terminal', 'sample']);
const wholes: ReadonlySet<string> = new Set(['integer', 'Integer', 'size']);
