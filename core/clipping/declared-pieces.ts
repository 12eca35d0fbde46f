import { declaredNames, writeConnect, writeDeclaration } from '../network/edit-physics';
import type { PartType, Place } from '../project/document';
import type { Edit } from '../project/edit';
import type { Clipping, Piece } from './clipping';
import { freeIn } from './free-names';

/** Parts that a physics text declares, written into another one. */

export interface DeclaredTexts {
  readonly names: ReadonlyMap<string, string>;
  readonly edit: (pieces: readonly Piece[]) => Edit;
}

export function declaredPieces(
  type: PartType,
  clipping: Clipping,
  pieces: readonly Piece[],
  placed: (at: Place) => Place,
): DeclaredTexts | undefined {
  if (clipping.declared.length === 0) return undefined;
  const taken = new Set([
    ...[...type.quantities, ...type.parts, ...type.ports, ...type.charts, ...type.procedures].map((x) => x.name),
    ...declaredNames(type.physics),
    ...pieces.map((p) => p.entry.name ?? ''),
  ]);
  const names = new Map<string, string>();
  for (const d of clipping.declared) {
    const name = freeIn(taken, d.name);
    taken.add(name);
    names.set(d.name, name);
  }
  return {
    names,
    edit: (now) => {
      const parts = new Map(
        clipping.pieces.flatMap((p, k) =>
          p.kind === 'part' ? [[p.entry.name!, now[k]?.entry.name ?? p.entry.name!] as const] : [],
        ),
      );
      let { physics } = type;
      for (const d of clipping.declared)
        physics = writeDeclaration(physics, `${d.head} ${names.get(d.name)!}${d.tail};`);
      const end = (path: string): string =>
        path.replace(/^[\p{L}_][\p{L}\p{N}_]*/u, (n) => names.get(n) ?? parts.get(n) ?? n);
      for (const [a, b] of clipping.connects) physics = writeConnect(physics, end(a), end(b));
      const layout = clipping.declared.flatMap((d) => {
        if (!d.place) return [];
        return [{ name: names.get(d.name)!, ...placed(d.place) }];
      });
      return {
        kind: 'update',
        list: 'type',
        id: type.id,
        changes: { physics, layout: [...type.layout.filter((p) => !layout.some((l) => l.name === p.name)), ...layout] },
      };
    },
  };
}
