import type { FlatExpr } from '../flatten/flat-expression';
import { createNames, legalName } from '../stepcode/c-names';
import { commented, sentence } from '../stepcode/c-text';
import type { Assignment, ExplicitModel } from './explicit-model';
import { doubleText, numberText, ownFunctions, type Places } from './write-expression';

/** A model of equations as C: what it is at its start, how quickly its states change, and a way to go on. */
export interface PlantSource {
  readonly header: string;
  readonly source: string;
  /** What each variable is called in the struct, by number; a text has none. */
  readonly names: readonly string[];
}

const limits = { steps: 1_000_000 };

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
  const rates = plant.assignments.map(assign);
  const begins = plant.begins.map(assign);
  const settable = plant.parameters.map(given);
  const inputs = plant.inputs.map(
    (k) => `    ${at.variable(k)} = ${say(variables[k].start ?? { op: 'const', value: 0 })};`,
  );
  const body = [...followed, ...starts, ...rates, ...begins, ...settable, ...inputs].join('\n');
  const used = Object.entries(ownFunctions).filter(([f]) => body.includes(`${f}(`));
  const uses = (what: RegExp, rows: readonly string[]): boolean => rows.some((r) => what.test(r));
  const quiet = (rows: readonly string[]): string =>
    `${uses(/\btime\b/, rows) ? '' : '    (void)time;\n'}${uses(/\brates\[/, rows) ? '' : '    (void)rates;\n'}`;
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
/* Everything at the start. */
void ${own}_start(${own}_model *m, double time);
/* Everything that follows from the states, and how quickly they change. */
void ${own}_rates(${own}_model *m, double time, double rates[${count}]);
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

void ${own}_start(${own}_model *m, double time)
{
    double rates[${count}] = {0.0};

${quiet([...starts, ...begins])}    ${own}_follow(m);
${[...starts, ...begins].join('\n')}
    ${own}_rates(m, time, rates);
}

void ${own}_rates(${own}_model *m, double time, double rates[${count}])
{
${quiet(rates)}${rates.join('\n') || '    (void)m;'}
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
    ${own}_rates(m, to, rates);
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
        ${own}_rates(m, time + (c[stage] * h), rates[stage]);
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
        if (steps > ${limits.steps}L) {
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
    ${own}_rates(m, to, rates);
    return true;
}
`;
