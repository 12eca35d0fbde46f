import { emptyProject, newSetup, newType, newQuantity } from './project/project';
import { checkProject } from './run/check';
import { createEngine } from './run/engine';
const project = (physics: string, more: any = {}) => ({ ...emptyProject('p', 'P'), root: 't', types: [{ ...newType('t', 'T'), quantities: [{ ...newQuantity('q1', 'x'), role: 'variable' }] as any, physics, ...more }], setups: [newSetup('s', 'S')] });
const run = (physics: string) => { const e = createEngine(); e.open(project(physics) as any, 0); return e; };
const cases: Record<string, () => string> = {
  sum300: () => `x = ${Array(300).fill('time').join(' + ')};`,
  sum1000: () => `x = ${Array(1000).fill('time').join(' + ')};`,
  sum2000: () => `x = ${Array(2000).fill('time').join(' + ')};`,
  sum4000: () => `x = ${Array(4000).fill('time').join(' + ')};`,
  sum100000: () => `x = ${Array(100000).fill('time').join(' + ')};`,
  par399: () => `x = ${'('.repeat(399)}time${')'.repeat(399)};`,
  sin399: () => `x = ${'sin('.repeat(399)}time${')'.repeat(399)};`,
  minus: () => `x = ${'-'.repeat(5000)}time;`,
  minus1m: () => `x = ${'-'.repeat(1000000)}time;`,
  ifs: () => `x = ${'if time > 1 then '.repeat(3000)}1${' else 2'.repeat(3000)};`,
  elseif: () => `x = if time > 1 then 1 ${'elseif time > 2 then 3 '.repeat(3000)} else 2;`,
  eqifs: () => `${'if time > 1 then '.repeat(3000)} x = 1; ${'end if; '.repeat(3000)}`,
  fors: () => `${'for i in 1:2 loop '.repeat(30)} x = 1; ${'end for; '.repeat(30)}`,
  zeros: () => `Real y[3]; equation y = zeros(30000,30000); x = 1;`,
  fill: () => `x = sum(fill(1, 100000, 100000));`,
  compr: () => `x = sum({i*j for i in 1:100000, j in 1:100000});`,
  array: () => `Real y[100000,100000]; equation x = 1;`,
  array2: () => `Real y[3000000]; equation x = 1;`,
  identity: () => `x = sum(identity(100000));`,
  linspace: () => `x = sum(linspace(0,1,1000000000));`,
  range: () => `x = sum(1:1e9);`,
  forbig: () => `for i in 1:1000000 loop for j in 1:1000000 loop x = 1; end for; end for;`,
  pow: () => `x = [1,2;3,4]^1000000000;`,
  while: () => `algorithm x := 1; while true loop x := x + 1; end while;`,
  fn: () => `function f input Real u; output Real y; algorithm y := 0; for i in 1:1000000000 loop y := y + u; end for; end f; equation x = f(time);`,
  fnrec: () => `function f input Real u; output Real y; algorithm y := f(u); end f; equation x = f(time);`,
  fnrec2: () => `function f input Real u; output Real y; algorithm y := f(u) + f(u-1) + f(u-2); end f; equation x = f(time);`,
  names: () => Array.from({ length: +(process.env.N ?? 100000) }, (_, k) => `Real a${k};`).join(' ') + ` equation x = 1;`,
  eqs: () => 'x = 1; '.repeat(100000),
  vals: () => Array.from({ length: 30000 }, (_, k) => `Real a${k} = ${k};`).join(' ') + ` equation x = 1;`,
  nestcls: () => 'model A '.repeat(2000) + 'end A; '.repeat(2000),
  mods: () => `T2 a${'(b'.repeat(390)}=1${')'.repeat(390)}; equation x = 1;`,
  str: () => `x = "${'a'.repeat(2000000)}";`,
  blanks: () => `x = 1${' '.repeat(2000000)};`,
  comments: () => `${'/*'.repeat(1000000)} x = 1;`,
  dots: () => `x = a${".a".repeat(+(process.env.N ?? 500000))};`,
  quotes: () => `x = 1 '${"m.".repeat(500000)}m';`,
};
const only = process.env.ONLY;
test.each(Object.keys(cases).filter((k) => !only || k === only))('%s', (name) => {
  const text = cases[name]();
  const t = Date.now(); let out = '';
  try { const e = run(text); const r = (e as any).check(); const f = r.problems[0]; out = f ? `${f.message.slice(0, 90)} (${r.problems.length})` : 'no problem'; const t2 = Date.now(); const s = e.start('s', { pace: 0 } as any, () => undefined); out += ` | start ${s.model ? 'ok' : s.problems.length} ${Date.now() - t2}`; e.cancel?.(); } catch (x) { out = 'THROWN ' + String(x).slice(0, 100) + ((x as Error).stack ?? '').split('\n').slice(1, 3).join('|'); }
  console.log(`@@ ${name} ${Date.now() - t} ms: ${out}`);
});
