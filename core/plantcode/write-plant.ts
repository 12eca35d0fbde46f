import type { FlatExpr } from '../flatten/flat-expression';
import { createNames, legalName } from '../stepcode/c-names';
import { commented, doubleText, sentence } from '../stepcode/c-text';
import type { Assignment, ExplicitModel, LinearSystem, PlantStep } from './explicit-model';
import { numberText, ownFunctions, type Places } from './write-expression';

/** A model of equations as C: what it is at its start, how quickly its states change, and a way to go on. */
export interface PlantSource {
  readonly header: string;
  readonly source: string;
  /** What each variable is called in the struct, by number; a text has none. */
  readonly names: readonly string[];
}

/** Steps between two communication points at most. */
const mostSteps = 1_000_000;
const hasSystem = (steps: readonly PlantStep[]): boolean => steps.some((s) => s.kind === 'solve');

export function writePlant(plant: ExplicitModel): PlantSource {
  const { solvable, states } = plant;
  const { variables } = solvable.model;
  const own = legalName(plant.name);
  const name = createNames(['time', 'rates', 'm', 'k']);
  const names = variables.map((v) => (v.type === 'String' ? '' : name(v.name)));
  const stateOf = new Map(states.map((s, k) => [s, k]));
  const tables: string[] = [];
  const at: Places = {
    variable: (k) => `m->${names[k]}`,
    rate: (k) => `rates[${stateOf.get(k)}]`,
    table(x, y) {
      const points = `{${x.map(doubleText).join(', ')}}|{${y.map(doubleText).join(', ')}}`;
      let k = tables.indexOf(points);
      if (k < 0) k = tables.push(points) - 1;
      return `table_${k}_x, table_${k}_y`;
    },
  };
  const say = (e: FlatExpr): string => numberText(e, at);
  const assign = ({ target, value }: Assignment): string =>
    `    ${target.kind === 'var' ? at.variable(target.index) : at.rate(target.index)} = ${say(value)};`;
  const isSet = new Set(plant.parameters);
  const isInput = new Set(plant.inputs);
  const given = (k: number): string =>
    `    ${at.variable(k)} = ${say(variables[k].binding ?? variables[k].start ?? { op: 'const', value: 0 })};`;
  const followed = solvable.parameters.filter((k) => variables[k].type !== 'String' && !isSet.has(k)).map(given);
  const starts = variables.flatMap((v, k) =>
    v.type === 'String' || v.kind === 'parameter' || v.kind === 'constant' || isInput.has(k)
      ? []
      : [`    ${at.variable(k)} = ${say(v.start ?? { op: 'const', value: 0 })};`],
  );
  const uses = (what: RegExp, rows: readonly string[]): boolean => rows.some((r) => what.test(r));
  const quiet = (rows: readonly string[]): string =>
    `${uses(/\btime\b/, rows) ? '' : '    (void)time;\n'}${uses(/\brates\[/, rows) ? '' : '    (void)rates;\n'}`;
  const systems: LinearSystem[] = [];
  const step = (s: PlantStep): string => {
    if (s.kind === 'assign') return assign(s);
    let k = systems.findIndex((x) => x.gaps === s.gaps);
    if (k < 0) k = systems.push(s) - 1;
    return `    is_solved = solve(m, time, rates, gaps_${k}, ${s.gaps.length}) && is_solved;`;
  };
  const rates = plant.assignments.map(step);
  const begins = plant.begins.map(step);
  const gaps = systems.map((s, k) => {
    const rows = [
      ...s.unknowns.map((u, n) => `    ${u.kind === 'var' ? at.variable(u.index) : at.rate(u.index)} = z[${n}];`),
      ...s.inner.map(assign),
      ...s.gaps.map((e, n) => `    gaps[${n}] = ${say(e)};`),
    ];
    return `static void gaps_${k}(${own}_model *m, double time, double rates[],
                    const double z[], double gaps[])
{
${quiet(rows)}${rows.join('\n')}
}

`;
  });
  const settable = plant.parameters.map(given);
  const inputs = plant.inputs.map(
    (k) => `    ${at.variable(k)} = ${say(variables[k].start ?? { op: 'const', value: 0 })};`,
  );
  const body = [...followed, ...starts, ...rates, ...begins, ...gaps, ...settable, ...inputs].join('\n');
  const used = Object.entries(ownFunctions).filter(([f]) => body.includes(`${f}(`));
  const count = Math.max(1, states.length);
  const header = `${commented(`${sentence(plant.name)} ${plant.note}`.trim(), 0).join('\n')}
#ifndef ${own.toUpperCase()}_PLANT_H
#define ${own.toUpperCase()}_PLANT_H

#include <stdbool.h>

/* Truths are 0 and 1. */
typedef struct {
${variables
  .flatMap((v, k) => (v.type === 'String' ? [] : [`    double ${names[k]};${note(v.unit, v.note)}`]))
  .join('\n')}
} ${own}_model;

/* Everything that can be given, as it is without. */
void ${own}_begin(${own}_model *m);
/* What follows from parameters. */
void ${own}_follow(${own}_model *m);
/* Everything at the start; false where it cannot be solved for. */
bool ${own}_start(${own}_model *m, double time);
/* Everything that follows from the states, and how quickly they change;
   false where it cannot be solved for. */
bool ${own}_rates(${own}_model *m, double time, double rates[${count}]);
/* Goes on from a time to another one; false where it cannot. The step it
   begins with is kept for the next time. */
bool ${own}_advance(${own}_model *m, double time, double to,
    double relative, double *step);

#endif
`;
  const source = `${commented(`${sentence(plant.name)} ${plant.note}`.trim(), 0).join('\n')}
#include "${own}.h"
#include <math.h>

${tables
  .map((t, k) => {
    const [x, y] = t.split('|');
    return `static const double table_${k}_x[] = ${x};\nstatic const double table_${k}_y[] = ${y};\n`;
  })
  .join('')}${used.map(([, text]) => `${text}\n`).join('')}void ${own}_begin(${own}_model *m)
{
${[...settable, ...inputs].join('\n') || '    (void)m;'}
}

void ${own}_follow(${own}_model *m)
{
${followed.join('\n') || '    (void)m;'}
}

${systems.length > 0 ? solver(own, Math.max(...systems.map((x) => x.gaps.length))) : ''}${gaps.join('')}bool ${own}_start(${own}_model *m, double time)
{
    double rates[${count}] = {0.0};
${hasSystem(plant.begins) ? '    bool is_solved = true;\n' : ''}
${quiet([...starts, ...begins])}    ${own}_follow(m);
${[...starts, ...begins].join('\n')}
    return ${own}_rates(m, time, rates)${hasSystem(plant.begins) ? ' && is_solved' : ''};
}

bool ${own}_rates(${own}_model *m, double time, double rates[${count}])
{
${hasSystem(plant.assignments) ? '    bool is_solved = true;\n\n' : ''}${quiet(rates)}${rates.join('\n') || '    (void)m;'}
    return ${hasSystem(plant.assignments) ? 'is_solved' : 'true'};
}

${states.length === 0 ? still(own) : moving(own, names, states)}`;
  return { header, source, names };
}

const note = (unit: string, said: string): string => {
  const text = [unit === '' || unit === '1' ? '' : `[${unit}]`, said]
    .filter((t) => t !== '')
    .join(' ')
    .replace(/\s+/g, ' ')
    .replace(/\*\//g, '* /');
  return text === '' ? '' : ` /* ${text.replace(/\/\*/g, '/ *').replace(/[^\x20-\x7e]/g, '?')} */`;
};

const still = (own: string): string => `bool ${own}_advance(${own}_model *m, double time, double to,
    double relative, double *step)
{
    double rates[1] = {0.0};

    (void)time;
    (void)relative;
    (void)step;
    return ${own}_rates(m, to, rates);
}
`;

/** Solves linear equations by what is missing in them: with nothing, with one of each unknown, and again with what is left. */
const solver = (own: string, most: number): string => `#define MOST ${most}

typedef void gaps_of(${own}_model *m, double time, double rates[],
                     const double z[], double gaps[]);

/* Gaussian elimination with pivoting; false where it has no solution. */
static bool eliminate(int n, double a[MOST][MOST], double b[MOST])
{
    int column;
    int row;
    int k;

    for (column = 0; column < n; column++) {
        int best = column;

        for (row = column + 1; row < n; row++) {
            if (fabs(a[row][column]) > fabs(a[best][column])) {
                best = row;
            }
        }
        if (!(fabs(a[best][column]) > 0.0)) {
            return false;
        }
        for (k = 0; k < n; k++) {
            const double kept = a[column][k];

            a[column][k] = a[best][k];
            a[best][k] = kept;
        }
        {
            const double kept = b[column];

            b[column] = b[best];
            b[best] = kept;
        }
        for (row = column + 1; row < n; row++) {
            const double part = a[row][column] / a[column][column];

            for (k = column; k < n; k++) {
                a[row][k] -= part * a[column][k];
            }
            b[row] -= part * b[column];
        }
    }
    for (row = n - 1; row >= 0; row--) {
        for (k = row + 1; k < n; k++) {
            b[row] -= a[row][k] * b[k];
        }
        b[row] /= a[row][row];
    }
    return true;
}

static bool solve(${own}_model *m, double time, double rates[],
                  gaps_of *missing, int n)
{
    double z[MOST] = {0.0};
    double none[MOST];
    double gaps[MOST];
    double matrix[MOST][MOST];
    double a[MOST][MOST];
    int turn;
    int row;
    int column;

    missing(m, time, rates, z, none);
    for (column = 0; column < n; column++) {
        z[column] = 1.0;
        missing(m, time, rates, z, gaps);
        z[column] = 0.0;
        for (row = 0; row < n; row++) {
            matrix[row][column] = gaps[row] - none[row];
        }
    }
    for (turn = 0; turn < 3; turn++) {
        missing(m, time, rates, z, gaps);
        for (row = 0; row < n; row++) {
            for (column = 0; column < n; column++) {
                a[row][column] = matrix[row][column];
            }
        }
        if (!eliminate(n, a, gaps)) {
            return false;
        }
        for (row = 0; row < n; row++) {
            z[row] -= gaps[row];
        }
    }
    missing(m, time, rates, z, gaps);
    for (row = 0; row < n; row++) {
        if (isnan(z[row]) || isinf(z[row])) {
            return false;
        }
    }
    return true;
}

`;

/** Steps of a length that keeps the error of each within bounds: Dormand and Prince (1980), of order 5 with one of order 4 beside it. */
const moving = (
  own: string,
  names: readonly string[],
  states: readonly number[],
): string => `#define STATES ${states.length}

static void put(${own}_model *m, const double x[STATES])
{
${states.map((s, k) => `    m->${names[s]} = x[${k}];`).join('\n')}
}

static void get(const ${own}_model *m, double x[STATES])
{
${states.map((s, k) => `    x[${k}] = m->${names[s]};`).join('\n')}
}

/* A step of order 5; how large its error is, as a part of what is allowed.
   Dormand and Prince, A family of embedded Runge-Kutta formulae, 1980. */
static double try_step(${own}_model *m, double time, double h,
                       double relative, const double x[STATES],
                       double next[STATES])
{
    static const double c[7] = {
        0.0, 1.0 / 5.0, 3.0 / 10.0, 4.0 / 5.0, 8.0 / 9.0, 1.0, 1.0
    };
    static const double a[7][6] = {
        {0.0, 0.0, 0.0, 0.0, 0.0, 0.0},
        {1.0 / 5.0, 0.0, 0.0, 0.0, 0.0, 0.0},
        {3.0 / 40.0, 9.0 / 40.0, 0.0, 0.0, 0.0, 0.0},
        {44.0 / 45.0, -56.0 / 15.0, 32.0 / 9.0, 0.0, 0.0, 0.0},
        {19372.0 / 6561.0, -25360.0 / 2187.0, 64448.0 / 6561.0,
         -212.0 / 729.0, 0.0, 0.0},
        {9017.0 / 3168.0, -355.0 / 33.0, 46732.0 / 5247.0, 49.0 / 176.0,
         -5103.0 / 18656.0, 0.0},
        {35.0 / 384.0, 0.0, 500.0 / 1113.0, 125.0 / 192.0,
         -2187.0 / 6784.0, 11.0 / 84.0}
    };
    static const double e[7] = {
        71.0 / 57600.0, 0.0, -71.0 / 16695.0, 71.0 / 1920.0,
        -17253.0 / 339200.0, 22.0 / 525.0, -1.0 / 40.0
    };
    double rates[7][STATES] = {{0.0}};
    double sum = 0.0;
    int stage;
    int from;
    int k;

    for (stage = 0; stage < 7; stage++) {
        for (k = 0; k < STATES; k++) {
            next[k] = x[k];
            for (from = 0; from < stage; from++) {
                next[k] += h * a[stage][from] * rates[from][k];
            }
        }
        put(m, next);
        if (!${own}_rates(m, time + (c[stage] * h), rates[stage])) {
            return NAN;
        }
    }
    for (k = 0; k < STATES; k++) {
        const double size = fmax(fabs(x[k]), fabs(next[k]));
        double error = 0.0;

        for (stage = 0; stage < 7; stage++) {
            error += h * e[stage] * rates[stage][k];
        }
        error /= (1e-3 * relative) + (relative * size);
        sum += error * error;
    }
    return sqrt(sum / STATES);
}

bool ${own}_advance(${own}_model *m, double time, double to,
    double relative, double *step)
{
    const double shortest = 1e-13 * fmax(fabs(time), fabs(to));
    double x[STATES];
    double next[STATES];
    double rates[STATES];
    double h = *step;
    long steps = 0;

    get(m, x);
    while (time < to) {
        const bool is_last = !(h > 0.0) || h >= to - time;
        const double length = is_last ? to - time : h;
        const double error = try_step(m, time, length, relative, x, next);

        steps++;
        if (steps > ${mostSteps}L) {
            return false;
        }
        if (error <= 1.0) {
            int k;

            for (k = 0; k < STATES; k++) {
                x[k] = next[k];
            }
            time = is_last ? to : time + length;
        } else if (!(length > shortest)) {
            /* no number, or a step that cannot be any shorter */
            return false;
        } else {
            /* the same place again, with a shorter step */
        }
        if (isnan(error) || isinf(error)) {
            h = 0.1 * length;
        } else if (!is_last || error > 1.0 || !(h > 0.0)) {
            h = length * fmin(5.0, fmax(0.2, 0.9 * pow(fmax(error, 1e-10), -0.2)));
        } else {
            /* cut off at the end: what was tried before is kept */
        }
    }
    *step = h;
    put(m, x);
    return ${own}_rates(m, to, rates);
}
`;
