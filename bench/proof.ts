import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeProjectJson } from '../core/formats/project-file';
import { tubeCapper } from '../samples/tube-capper';
import { runCase } from '../core/proof/run-case';
import { coverageReport } from '../core/coverage/report';
import { differences } from '../core/project/differences';
import type { Project } from '../core/project/project';
import { merge } from '../core/versions/merge';
import { median, milliseconds, row, time } from './measure';

/** Test cases: of the controller alone in the code stage, and what it costs to count what they come through. */
function benchProof(): void {
  const cases = tubeCapper.cases.filter((c) => c.tags.includes('controller'));
  const all = (isCounted: boolean): number =>
    time(() => {
      for (const c of cases) {
        const { verdict } = runCase(tubeCapper, c, { stage: 'code', isCounted });
        if (verdict !== 'passed') throw new Error(`${c.name} has not passed`);
      }
    });
  const pairs = Array.from({ length: 8 }, () => [all(false), all(true)] as const).slice(2);
  const each = median(pairs.map(([without]) => without)) / cases.length;
  row(
    'a case of the controller in the code stage, one process',
    `${(each * 1000).toFixed(0)} ms`,
    'below 60 ms: 1,000 in 30 s on two',
  );
  row(
    '  counted what it comes through, side by side',
    `${median(pairs.map(([without, counted]) => counted / without)).toFixed(2)}x`,
    'below 1.25x',
  );
  const cames = cases.map((of) => ({ of, came: runCase(tubeCapper, of, { stage: 'code', isCounted: true }).came! }));
  const reports = Array.from({ length: 6 }, () => time(() => coverageReport({ ...tubeCapper }, cames)));
  row('  what that comes to, over the whole product', milliseconds(reports.slice(1)), '');
}

/** A thousand cases of the controller as code, by the command, over as many processes as there are processors. */
function benchThousand(): void {
  const cases = tubeCapper.cases.filter((c) => c.tags.includes('controller'));
  const thousand = Array.from({ length: 1000 }, (_, k) => {
    const of = cases[k % cases.length];
    return { ...of, id: `k-${k}`, name: `${of.name} ${k}` };
  });
  const folder = mkdtempSync(join(tmpdir(), 'zelvar-bench-'));
  try {
    const file = join(folder, 'thousand.zelvar.json');
    writeFileSync(file, writeProjectJson({ ...tubeCapper, cases: thousand }));
    let said = '';
    const seconds = time(() => {
      said = spawnSync(process.execPath, ['cli/zelvar.mjs', 'test', file, '--stage', 'code'], {
        encoding: 'utf8',
      }).stdout;
    });
    if (!said.includes('1000 passed, 0 failed')) throw new Error(said.slice(-200));
    row(
      `  1,000 of them by the command, ${availableParallelism()} processors`,
      `${seconds.toFixed(1)} s`,
      'below 30 s on two',
    );
  } finally {
    rmSync(folder, { recursive: true });
  }
}

/** Two versions of a project of 5,000 requirements: what has changed, and brought together with a third. */
function benchVersions(): void {
  const requirements = Array.from({ length: 5000 }, (_, k) => ({
    ...tubeCapper.requirements[k % tubeCapper.requirements.length],
    id: `r-${k}`,
    key: `REQ-${k}`,
    text: `The motor draws no more than ${k} A.`,
  }));
  const version = (from: number): Project =>
    structuredClone({
      ...tubeCapper,
      requirements: requirements.map((r, k) => (k % 10 === from ? { ...r, text: `${r.text} Always.` } : r)),
    });
  const [before, here, there] = [-1, 1, 2].map(version);
  const compared = Array.from({ length: 8 }, () => time(() => differences(here, before)));
  row('two versions of 5,000 requirements are compared', milliseconds(compared.slice(2)), 'below 300 ms');
  const merged = Array.from({ length: 8 }, () => time(() => merge(before, here, there)));
  row('  three are merged', milliseconds(merged.slice(2)), '');
}

benchProof();
benchThousand();
benchVersions();
