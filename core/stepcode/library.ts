import { give, set, turn, when, type Builder } from './builder';
import { minus, number, pair, plus, type StepExpr, type StepInstruction, type StepType } from './step-program';

/**
 * Functions that C leaves to whoever wrote its library: here out of basic operations, so that they give the same everywhere, to the last
 * bit. Polynomials and reductions are those of the single precision Cephes library (Moshier 1989); reductions of angles by three parts of
 * pi/4 (Cody and Waite 1980) hold to about 8,000.
 */
export type LibraryName =
  | 'sin'
  | 'cos'
  | 'tan'
  | 'asin'
  | 'acos'
  | 'atan'
  | 'atan2'
  | 'sinh'
  | 'cosh'
  | 'tanh'
  | 'exp'
  | 'log'
  | 'log10'
  | 'pow';

const f = (x: number): StepExpr => number(x);
const i = (x: number): StepExpr => number(x, 'i32');
const add = (a: StepExpr, b: StepExpr): StepExpr => pair('add', a, b);
const sub = (a: StepExpr, b: StepExpr): StepExpr => pair('sub', a, b);
const mul = (a: StepExpr, b: StepExpr): StepExpr => pair('mul', a, b);
const div = (a: StepExpr, b: StepExpr): StepExpr => pair('div', a, b);
const less = (a: StepExpr, b: StepExpr): StepExpr => pair('lt', a, b);
const neg = (a: StepExpr): StepExpr => ({ op: 'neg', type: a.type, a });
const choose = (c: StepExpr, a: StepExpr, b: StepExpr): StepExpr => ({ op: 'choose', type: a.type, c, a, b });
const root = (a: StepExpr): StepExpr => ({ op: 'fn', type: 'f32', name: 'sqrt', args: [a] });
const size = (a: StepExpr): StepExpr => ({ op: 'fn', type: 'f32', name: 'abs', args: [a] });
const floor = (a: StepExpr): StepExpr => ({ op: 'fn', type: 'f32', name: 'floor', args: [a] });
const isNumber = (a: StepExpr): StepExpr => pair('eq', a, a);
/** By Horner, the highest coefficient first. */
const polynomial = (x: StepExpr, [first, ...rest]: readonly number[]): StepExpr =>
  rest.reduce<StepExpr>((sum, c) => add(mul(sum, x), f(c)), f(first));

const halfPi = Math.PI / 2;

interface Draft {
  readonly takes: readonly StepExpr[];
  local(name: string, type?: StepType): { readonly slot: number; readonly read: StepExpr };
  use(name: LibraryName, ...args: readonly StepExpr[]): StepExpr;
}

/** What each does with its arguments. */
const bodies: Readonly<
  Record<LibraryName, { readonly takes: readonly string[]; body(d: Draft): readonly StepInstruction[] }>
> = {
  sin: { takes: ['x'], body: (d) => circle(d, false) },
  cos: { takes: ['x'], body: (d) => circle(d, true) },
  tan: { takes: ['x'], body: (d) => [give(div(d.use('sin', d.takes[0]), d.use('cos', d.takes[0])))] },
  exp: {
    takes: ['x'],
    body(d) {
      const [x] = d.takes;
      const k = d.local('k');
      const r = d.local('r');
      const y = d.local('y');
      const left = d.local('left', 'i32');
      return [
        ...when(less(f(88.72283935546875), x), [give(f(Infinity))]),
        ...when(less(x, f(-103.2789306640625)), [give(f(0))]),
        ...when({ op: 'not', type: 'bool', a: isNumber(x) }, [give(x)]),
        set(k.slot, floor(add(mul(x, f(1.44269504088896341)), f(0.5)))),
        set(r.slot, sub(sub(x, mul(k.read, f(0.693359375))), mul(k.read, f(-2.1219444e-4)))),
        set(
          y.slot,
          add(
            add(
              mul(
                polynomial(
                  r.read,
                  [1.98756915e-4, 1.3981999507e-3, 8.3334519073e-3, 4.1665795894e-2, 1.6666665459e-1, 5.0000001201e-1],
                ),
                mul(r.read, r.read),
              ),
              r.read,
            ),
            f(1),
          ),
        ),
        set(left.slot, { op: 'toInteger', type: 'i32', a: k.read }),
        // twice as much, or half of it, so often: exact as long as it stays in range
        turn(pair('gt', left.read, i(0)), [set(y.slot, mul(y.read, f(2))), set(left.slot, minus(left.read, i(1)))]),
        turn(less(left.read, i(0)), [set(y.slot, mul(y.read, f(0.5))), set(left.slot, plus(left.read, i(1)))]),
        give(y.read),
      ];
    },
  },
  log: {
    takes: ['x'],
    body(d) {
      const [x] = d.takes;
      const m = d.local('m');
      const e = d.local('e');
      const z = d.local('z');
      const y = d.local('y');
      return [
        ...when(less(x, f(0)), [give(f(NaN))]),
        ...when(pair('eq', x, f(0)), [give(f(-Infinity))]),
        ...when({ op: 'or', type: 'bool', a: pair('ne', x, x), b: pair('eq', x, f(Infinity)) }, [give(x)]),
        set(m.slot, x),
        set(e.slot, f(0)),
        turn(pair('ge', m.read, f(Math.SQRT2)), [set(m.slot, mul(m.read, f(0.5))), set(e.slot, add(e.read, f(1)))]),
        turn(less(m.read, f(Math.SQRT1_2)), [set(m.slot, mul(m.read, f(2))), set(e.slot, sub(e.read, f(1)))]),
        set(m.slot, sub(m.read, f(1))),
        set(z.slot, mul(m.read, m.read)),
        set(
          y.slot,
          mul(
            mul(
              polynomial(
                m.read,
                [
                  7.0376836292e-2, -1.151461031e-1, 1.167699874e-1, -1.2420140846e-1, 1.4249322787e-1, -1.6668057665e-1,
                  2.0000714765e-1, -2.4999993993e-1, 3.3333331174e-1,
                ],
              ),
              m.read,
            ),
            z.read,
          ),
        ),
        set(y.slot, add(y.read, mul(e.read, f(-2.1219444e-4)))),
        set(y.slot, sub(y.read, mul(f(0.5), z.read))),
        give(add(add(m.read, y.read), mul(e.read, f(0.693359375)))),
      ];
    },
  },
  log10: { takes: ['x'], body: (d) => [give(mul(d.use('log', d.takes[0]), f(Math.LOG10E)))] },
  pow: {
    takes: ['a', 'b'],
    body(d) {
      const [a, b] = d.takes;
      const half = d.local('half');
      const y = d.local('y');
      return [
        ...when(pair('eq', b, f(0)), [give(f(1))]),
        ...when(pair('eq', a, f(0)), [give(choose(less(b, f(0)), f(Infinity), f(0)))]),
        ...when(pair('gt', a, f(0)), [give(d.use('exp', mul(b, d.use('log', a))))]),
        // of what is below zero there are whole powers only
        ...when(pair('ne', floor(b), b), [give(f(NaN))]),
        set(y.slot, d.use('exp', mul(b, d.use('log', neg(a))))),
        set(half.slot, mul(b, f(0.5))),
        give(choose(pair('eq', floor(half.read), half.read), y.read, neg(y.read))),
      ];
    },
  },
  atan: {
    takes: ['x'],
    body(d) {
      const [x] = d.takes;
      const a = d.local('a');
      const y = d.local('y');
      const z = d.local('z');
      return [
        set(a.slot, size(x)),
        set(y.slot, f(0)),
        ...when(
          pair('gt', a.read, f(2.414213562373095)),
          [set(y.slot, f(halfPi)), set(a.slot, div(f(-1), a.read))],
          when(pair('gt', a.read, f(0.414213562373095)), [
            set(y.slot, f(Math.PI / 4)),
            set(a.slot, div(sub(a.read, f(1)), add(a.read, f(1)))),
          ]),
        ),
        set(z.slot, mul(a.read, a.read)),
        set(
          y.slot,
          add(
            y.read,
            add(
              mul(
                mul(
                  polynomial(z.read, [8.05374449538e-2, -1.38776856032e-1, 1.99777106478e-1, -3.33329491539e-1]),
                  z.read,
                ),
                a.read,
              ),
              a.read,
            ),
          ),
        ),
        give(choose(less(x, f(0)), neg(y.read), y.read)),
      ];
    },
  },
  atan2: {
    takes: ['y', 'x'],
    body(d) {
      const [y, x] = d.takes;
      const angle = d.local('angle');
      return [
        ...when(pair('eq', x, f(0)), [
          give(choose(pair('gt', y, f(0)), f(halfPi), choose(less(y, f(0)), f(-halfPi), f(0)))),
        ]),
        set(angle.slot, d.use('atan', div(y, x))),
        ...when(less(x, f(0)), [give(choose(less(y, f(0)), sub(angle.read, f(Math.PI)), add(angle.read, f(Math.PI))))]),
        give(angle.read),
      ];
    },
  },
  asin: {
    takes: ['x'],
    body(d) {
      const [x] = d.takes;
      const a = d.local('a');
      const z = d.local('z');
      const isLarge = d.local('isLarge', 'bool');
      const series = add(
        mul(
          mul(
            polynomial(z.read, [4.2163199048e-2, 2.4181311049e-2, 4.5470025998e-2, 7.4953002686e-2, 1.6666752422e-1]),
            z.read,
          ),
          a.read,
        ),
        a.read,
      );
      return [
        set(a.slot, size(x)),
        ...when(pair('gt', a.read, f(1)), [give(f(NaN))]),
        set(isLarge.slot, pair('gt', a.read, f(0.5))),
        ...when(
          isLarge.read,
          [set(z.slot, mul(f(0.5), sub(f(1), a.read))), set(a.slot, root(z.read))],
          [set(z.slot, mul(a.read, a.read))],
        ),
        set(z.slot, series),
        ...when(isLarge.read, [set(z.slot, sub(f(halfPi), add(z.read, z.read)))]),
        give(choose(less(x, f(0)), neg(z.read), z.read)),
      ];
    },
  },
  acos: {
    takes: ['x'],
    body(d) {
      const [x] = d.takes;
      return [
        // near the ends the difference to pi/2 would lose digits
        ...when(pair('gt', x, f(0.5)), [give(mul(f(2), d.use('asin', root(mul(f(0.5), sub(f(1), x))))))]),
        ...when(less(x, f(-0.5)), [give(sub(f(Math.PI), mul(f(2), d.use('asin', root(mul(f(0.5), add(f(1), x)))))))]),
        give(sub(f(halfPi), d.use('asin', x))),
      ];
    },
  },
  sinh: {
    takes: ['x'],
    body(d) {
      const [x] = d.takes;
      const a = d.local('a');
      const y = d.local('y');
      return [
        set(a.slot, size(x)),
        ...when(pair('gt', a.read, f(1)), [
          set(y.slot, d.use('exp', a.read)),
          set(y.slot, sub(mul(f(0.5), y.read), div(f(0.5), y.read))),
          give(choose(less(x, f(0)), neg(y.read), y.read)),
        ]),
        set(y.slot, mul(x, x)),
        give(add(mul(mul(polynomial(y.read, [2.03721912945e-4, 8.33028376239e-3, 1.66667160211e-1]), y.read), x), x)),
      ];
    },
  },
  cosh: {
    takes: ['x'],
    body(d) {
      const y = d.local('y');
      return [set(y.slot, d.use('exp', size(d.takes[0]))), give(add(mul(f(0.5), y.read), div(f(0.5), y.read)))];
    },
  },
  tanh: {
    takes: ['x'],
    body(d) {
      const [x] = d.takes;
      const a = d.local('a');
      const y = d.local('y');
      return [
        set(a.slot, size(x)),
        ...when(pair('gt', a.read, f(44)), [give(choose(less(x, f(0)), f(-1), f(1)))]),
        ...when(pair('ge', a.read, f(0.625)), [
          set(y.slot, d.use('exp', add(a.read, a.read))),
          set(y.slot, sub(f(1), div(f(2), add(y.read, f(1))))),
          give(choose(less(x, f(0)), neg(y.read), y.read)),
        ]),
        set(y.slot, mul(x, x)),
        give(
          add(
            mul(
              mul(
                polynomial(
                  y.read,
                  [-5.70498872745e-3, 2.06390887954e-2, -5.37397155531e-2, 1.33314422036e-1, -3.33332819422e-1],
                ),
                y.read,
              ),
              x,
            ),
            x,
          ),
        ),
      ];
    },
  },
};

/** By the octant the angle lies in. */
function circle(d: Draft, isCosine: boolean): readonly StepInstruction[] {
  const [x] = d.takes;
  const a = d.local('a');
  const j = d.local('j');
  const part = d.local('part', 'i32');
  const z = d.local('z');
  const y = d.local('y');
  const sine = add(
    mul(mul(polynomial(z.read, [-1.9515295891e-4, 8.3321608736e-3, -1.6666654611e-1]), z.read), a.read),
    a.read,
  );
  const cosine = add(
    sub(
      mul(mul(polynomial(z.read, [2.443315711809948e-5, -1.388731625493765e-3, 4.166664568298827e-2]), z.read), z.read),
      mul(f(0.5), z.read),
    ),
    f(1),
  );
  const isOdd = pair('eq', rest(part.read, 2), i(1));
  // octants in pairs: 0, 1, 2, 3 quarters
  const quarter = rest(part.read, 4);
  const usesCosine = isCosine ? { op: 'not' as const, type: 'bool' as const, a: isOdd } : isOdd;
  const isBelow = isCosine ? or(pair('eq', quarter, i(1)), pair('eq', quarter, i(2))) : pair('ge', quarter, i(2));
  const turned = isCosine ? isBelow : pair('ne', isBelow, less(x, f(0)));
  return [
    set(a.slot, size(x)),
    ...when({ op: 'not', type: 'bool', a: less(a.read, f(1e6)) }, [give(f(NaN))]),
    // the nearest multiple of pi/2
    set(j.slot, floor(add(mul(a.read, f(2 / Math.PI)), f(0.5)))),
    set(a.slot, sub(a.read, mul(j.read, f(1.5703125)))),
    set(a.slot, sub(a.read, mul(j.read, f(4.837512969970703125e-4)))),
    set(a.slot, sub(a.read, mul(j.read, f(7.54978995489188216e-8)))),
    set(part.slot, { op: 'toInteger', type: 'i32', a: j.read }),
    set(z.slot, mul(a.read, a.read)),
    ...when(usesCosine, [set(y.slot, cosine)], [set(y.slot, sine)]),
    give(choose(turned, neg(y.read), y.read)),
  ];
}
const rest = (a: StepExpr, by: number): StepExpr => ({ op: 'fn', type: 'i32', name: 'remainder', args: [a, i(by)] });
const or = (a: StepExpr, b: StepExpr): StepExpr => pair('or', a, b);

/** The routine of a function, made when it is first needed. */
export function createLibrary(b: Builder): (name: LibraryName, args: readonly StepExpr[]) => StepExpr {
  const known = new Map<LibraryName, number>();
  const routineOf = (name: LibraryName): number => {
    const found = known.get(name);
    if (found !== undefined) return found;
    const { takes, body } = bodies[name];
    const slots = takes.map((t) => b.slot({ name: t, role: 'local', type: 'f32' }));
    const locals: number[] = [];
    const list = body({
      takes: slots.map((s) => b.read(s)),
      local(n, type = 'f32') {
        const slot = b.slot({ name: n, role: 'local', type });
        locals.push(slot);
        return { slot, read: b.read(slot) };
      },
      use: (other, ...args) => ({ op: 'call', type: 'f32', routine: routineOf(other), args }),
    });
    const made = b.routine({
      name: `${name} of`,
      from: '',
      note: `${name} in basic operations`,
      takes: slots,
      locals,
      gives: 'f32',
      standard: name,
      body: list,
    });
    known.set(name, made);
    return made;
  };
  return (name, args) => ({ op: 'call', type: 'f32', routine: routineOf(name), args });
}

/** A value of a table of points: straight between them, level outside; or how steep it is there. */
export function tableRoutine(
  b: Builder,
  x: readonly number[],
  y: readonly number[],
  slope: boolean,
  n: number,
): number {
  const [xs, ys] = (['x', 'y'] as const).map((name, k) =>
    b.slot({ name: `table ${n} ${name}`, role: 'constant', type: 'f32', size: x.length, values: k === 0 ? x : y }),
  );
  const at = b.slot({ name: 'at', role: 'local', type: 'f32' });
  const k = b.slot({ name: 'k', role: 'local', type: 'i32' });
  const steep = b.slot({ name: 'steep', role: 'local', type: 'f32' });
  const last = i(x.length - 1);
  const next = plus(b.read(k), i(1));
  return b.routine({
    name: `table ${n}`,
    from: '',
    note: slope ? 'how steep a table of points is' : 'a table of points, straight between them, level outside',
    takes: [at],
    locals: [k, steep],
    gives: 'f32',
    body: [
      ...when({ op: 'not', type: 'bool', a: pair('gt', b.read(at), b.read(xs, i(0))) }, [
        give(slope ? f(0) : choose(isNumber(b.read(at)), b.read(ys, i(0)), b.read(at))),
      ]),
      ...when(pair('ge', b.read(at), b.read(xs, last)), [give(slope ? f(0) : b.read(ys, last))]),
      set(k, i(0)),
      turn(pair('le', b.read(xs, next), b.read(at)), [set(k, next)]),
      set(steep, div(sub(b.read(ys, next), b.read(ys, b.read(k))), sub(b.read(xs, next), b.read(xs, b.read(k))))),
      give(
        slope ? b.read(steep) : add(b.read(ys, b.read(k)), mul(b.read(steep), sub(b.read(at), b.read(xs, b.read(k))))),
      ),
    ],
  });
}

export const libraryNames = Object.keys(bodies) as readonly LibraryName[];
