import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TermFunction } from '../core/program/functions';
import type { Instruction, Term, Truth } from '../core/program/instructions';
import type { Program } from '../core/program/program';

/** The generated right-hand side and the method of core/simulate/dopri5.ts, as one program in C compiled at -O2. */

export interface Compiled {
  /** Solves from the start values `repeat` times; seconds for one, steps, and the state at the end. */
  solve(
    tolerance: number,
    end: number,
    repeat: number,
  ): { readonly seconds: number; readonly steps: number; readonly y: readonly number[] };
  remove(): void;
}

const functions: Partial<Record<TermFunction, string>> = { square: 'sq', abs: 'fabs', min: 'fmin', max: 'fmax' };
const symbols = { lt: '<', le: '<=', gt: '>', ge: '>=', eq: '==', ne: '!=', add: '+', sub: '-', mul: '*', div: '/' };

function term(e: Term): string {
  switch (e.op) {
    case 'const':
      return e.value.toExponential(17);
    case 'slot':
      return `${e.of}[${e.index}]`;
    case 'local':
      return `x${e.id}`;
    case 'scalar':
      return e.name;
    case 'neg':
      return `(-${term(e.a)})`;
    case 'call':
      return `${functions[e.name] ?? e.name}(${e.args.map(term).join()})`;
    case 'choose':
      return `(${truth(e.c)}?${term(e.a)}:${term(e.b)})`;
    case 'bit':
      return `(${truth(e.c)}?1.0:0.0)`;
    case 'add':
    case 'sub':
    case 'mul':
    case 'div':
      return `(${term(e.a)}${symbols[e.op]}${term(e.b)})`;
    default:
      throw new Error(`no ${e.op} in this benchmark`);
  }
}

function truth(e: Truth): string {
  switch (e.op) {
    case 'and':
      return `(${truth(e.a)}&&${truth(e.b)})`;
    case 'or':
      return `(${truth(e.a)}||${truth(e.b)})`;
    case 'not':
      return `!${truth(e.a)}`;
    case 'always':
      return '1';
    case 'is':
      return `(fabs(${term(e.a)})>0)`;
    case 'told':
      return truth(e.a);
    default:
      return `(${term(e.a)}${symbols[e.op]}${term(e.b)})`;
  }
}

function instruction(x: Instruction): string {
  if (x.do === 'let') return `const double ${term(x.to)}=${term(x.value)};`;
  if (x.do === 'set') return `${term(x.to)}=${term(x.value)};`;
  throw new Error(`no ${x.do} in this benchmark`);
}

/** Undefined where this machine has no C compiler. */
export function compileToC(program: Program, values: Float64Array, start: readonly number[]): Compiled | undefined {
  const { derivatives } = program.list;
  if (derivatives.through !== 'locals') throw new Error('the right-hand side of this model is not one function');
  const body = derivatives.body.map(instruction).join('');
  const n = start.length;
  const list = (xs: ArrayLike<number>): string =>
    Array.from(xs, (x) => (Number.isFinite(x) ? x.toExponential(17) : '0')).join(',');
  const text = `#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#define N ${n}
static double v[]={${list(values)}};
static const double first[N]={${list(start)}};
static inline double sq(double x){return x*x;}
static inline double cube(double x){return x*x*x;}
static inline double root(double x){return x<0?0:sqrt(x);}
static void rhs(double t,const double*restrict y,double*restrict dy){(void)t;(void)v;${body}}
${method}`;
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-bench-'));
  const remove = (): void => rmSync(folder, { recursive: true, force: true });
  writeFileSync(join(folder, 'problem.c'), text);
  try {
    execFileSync('cc', ['-O2', '-o', join(folder, 'problem'), join(folder, 'problem.c'), '-lm'], {
      stdio: ['ignore', 'ignore', 'pipe'],
    });
  } catch (error) {
    remove();
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined;
    throw error;
  }
  return {
    remove,
    solve(tolerance, end, repeat) {
      const [seconds, steps, ...y] = execFileSync(join(folder, 'problem'), [tolerance, end, repeat].map(String), {
        encoding: 'utf8',
      })
        .trim()
        .split(/\s+/)
        .map(Number);
      return { seconds, steps, y };
    },
  };
}

const method = `static double larger(double a,double b){return a>b?a:b;}
static double least(double a,double b){return a<b?a:b;}
static double smallest(double t){return 16*2.220446049250313e-16*larger(fabs(t),1e-10);}
static double norm(const double*x,const double*a,const double*b,double tol){double s=0;for(int i=0;i<N;i++){double q=x[i]/(tol+tol*larger(fabs(a[i]),fabs(b[i])));s+=q*q;}return sqrt(s/N);}
static int solve(double tol,double end,double*y){
  double k1[N],k2[N],k3[N],k4[N],k5[N],k6[N],k7[N],yn[N],ys[N],e[N];
  double t=0,h,last=1e-4;int steps=0,rejected=0,stiff=0,calm=0;
  memcpy(y,first,sizeof first);
  rhs(t,y,k1);
  {double d0=norm(y,y,y,tol),d1=norm(k1,y,y,tol),d2,m,h1;
   h=d0<1e-5||d1<1e-5?1e-6:0.01*(d0/d1);h=least(larger(h,4*smallest(t)),end-t);
   for(int i=0;i<N;i++)ys[i]=y[i]+h*k1[i];
   rhs(t+h,ys,k2);for(int i=0;i<N;i++)k2[i]-=k1[i];
   d2=norm(k2,y,y,tol)/h;m=larger(d1,d2);h1=m<=1e-15?larger(1e-6,h*1e-3):pow(0.01/m,0.2);
   h=larger(least(least(100*h,h1),end-t),least(4*smallest(t),end-t));}
  while(t<end){
    double room=end-t,hh=h,err,factor,top=0,bottom=0;int final=hh>=room*(1-1e-10);
    if(final)hh=room;else if(hh>room/2)hh=room/2;
    if(hh<smallest(t)&&!final)return -1;
    for(int i=0;i<N;i++)ys[i]=y[i]+hh*(1./5)*k1[i];
    rhs(t+hh/5,ys,k2);
    for(int i=0;i<N;i++)ys[i]=y[i]+hh*(3./40*k1[i]+9./40*k2[i]);
    rhs(t+3*hh/10,ys,k3);
    for(int i=0;i<N;i++)ys[i]=y[i]+hh*(44./45*k1[i]-56./15*k2[i]+32./9*k3[i]);
    rhs(t+4*hh/5,ys,k4);
    for(int i=0;i<N;i++)ys[i]=y[i]+hh*(19372./6561*k1[i]-25360./2187*k2[i]+64448./6561*k3[i]-212./729*k4[i]);
    rhs(t+8*hh/9,ys,k5);
    for(int i=0;i<N;i++)ys[i]=y[i]+hh*(9017./3168*k1[i]-355./33*k2[i]+46732./5247*k3[i]+49./176*k4[i]-5103./18656*k5[i]);
    rhs(t+hh,ys,k6);
    for(int i=0;i<N;i++)yn[i]=y[i]+hh*(35./384*k1[i]+500./1113*k3[i]+125./192*k4[i]-2187./6784*k5[i]+11./84*k6[i]);
    rhs(t+hh,yn,k7);
    for(int i=0;i<N;i++)e[i]=hh*(71./57600*k1[i]-71./16695*k3[i]+71./1920*k4[i]-17253./339200*k5[i]+22./525*k6[i]-1./40*k7[i]);
    err=norm(e,y,yn,tol);
    if(!(err<=1)){rejected=1;h=isfinite(err)?hh*larger(0.2,0.9/pow(err,0.2)):hh*0.1;if(h<smallest(t))return -1;continue;}
    for(int i=0;i<N;i++){double scale=tol+tol*fabs(yn[i]),a=(k7[i]-k6[i])/scale,b=(yn[i]-ys[i])/scale;top+=a*a;bottom+=b*b;}
    if(bottom>0&&hh*sqrt(top/bottom)>3.25){calm=0;stiff++;}else if(stiff>0&&++calm>=6)stiff=0;
    factor=0.9*pow(last,0.04)/pow(larger(err,1e-20),0.2-0.04*0.75);
    factor=least(rejected?1:10,larger(0.2,factor));
    h=final||hh<h?larger(h,hh*factor):hh*factor;
    last=larger(err,1e-4);rejected=0;t=final?end:t+hh;
    memcpy(y,yn,sizeof yn);memcpy(k1,k7,sizeof k7);steps++;
  }
  return steps;
}
int main(int count,char**given){
  double y[N],tol=atof(given[1]),end=atof(given[2]);int repeat=atoi(given[3]),steps=0;struct timespec a,b;
  if(count<4)return 2;
  clock_gettime(CLOCK_MONOTONIC,&a);
  for(int k=0;k<repeat;k++)steps=solve(tol,end,y);
  clock_gettime(CLOCK_MONOTONIC,&b);
  printf("%.9e %d",((b.tv_sec-a.tv_sec)+1e-9*(b.tv_nsec-a.tv_nsec))/repeat,steps);
  for(int i=0;i<N;i++)printf(" %.17g",y[i]);
  return 0;
}
`;
