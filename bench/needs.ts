import { performance } from 'node:perf_hooks';
import { compareSheet, takeOver } from '../core/exchange/compare';
import { requirementRows } from '../core/exchange/export';
import { guessColumns, readRows } from '../core/exchange/requirement-sheet';
import { readCsvSheet, writeCsvSheet } from '../core/formats/sheet-csv';
import { readXlsxSheets, writeXlsxSheets } from '../core/formats/sheet-xlsx';
import { applyEdit } from '../core/editing/edits';
import { newRequirement, type Project } from '../core/project/project';
import { readLimit } from '../core/requirements/read-limit';
import { completeness } from '../core/trace/completeness';
import { elementIndex } from '../core/trace/elements';
import { graphOf, impactOf } from '../core/trace/impact';
import { traceMatrix } from '../core/trace/matrix';
import { reportHtml } from '../core/trace/report';
import { tubeCapper } from '../samples/tube-capper';

/** Requirements by the thousand: what the design asks for, and what it takes here. */

const sentences = [
  'The spindle speed shall not exceed {n} rpm.',
  'While turning, the winding current shall stay below {n} A.',
  'When the guard opens, the spindle speed shall fall below {n} rpm within 200 ms.',
  'The cap torque shall be between 0.{n} and 0.9 N.m.',
  'When a tube is clamped, the cap shall be seated within {n} s.',
  'The guard shall open at most {n} times per minute.',
  'The average winding current shall not exceed {n} A.',
  'When a tube is clamped, the spindle speed shall settle to {n} rpm ± 2 % within 3 s.',
  'The winding temperature shall stay within ±2 % of {n} degC.',
  'The gripper shall do something that nobody can read {n}.',
];

export function largeProject(count: number, linksEach: number): Project {
  const requirements = Array.from({ length: count }, (_, k) => ({
    ...newRequirement(
      `r-${k}`,
      `BIG-${String(k + 1).padStart(5, '0')}`,
      sentences[k % sentences.length].replace('{n}', String(1 + (k % 97))),
    ),
    parent: k % 20 === 0 ? null : `r-${k - (k % 20)}`,
  }));
  const project: Project = { ...tubeCapper, requirements, traces: [] };
  const elements = elementIndex(project).all.filter((e) => e.kind !== 'requirement');
  let made = 0;
  const entries = requirements.flatMap((r, k) => {
    const chosen = Array.from({ length: linksEach }, (_, j) => elements[(k * 7 + j * 31) % elements.length].address);
    return [...new Set(chosen)].map((element) => ({
      id: `v-${++made}`,
      requirement: r.id,
      element,
      requirementSeen: '',
      elementSeen: '',
    }));
  });
  return { ...project, traces: entries };
}

const time = <T>(work: () => T): [T, number] => {
  const start = performance.now();
  const value = work();
  return [value, performance.now() - start];
};

export async function benchNeeds(print: (line: string) => void): Promise<void> {
  const ratio = (what: string, milliseconds: number, allowed: number): void =>
    print(
      `${what.padEnd(58)} ${milliseconds.toFixed(0).padStart(6)} ms   ${(milliseconds / allowed).toFixed(2)} of the ${allowed} ms asked for`,
    );
  const texts = Array.from({ length: 1000 }, (_, k) =>
    sentences[k % sentences.length].replace('{n}', String(1 + (k % 97))),
  );
  ratio(
    'reading 1,000 sentences into limits',
    time(() => texts.forEach((text) => readLimit({ text, formula: '' }, tubeCapper.glossary)))[1],
    500,
  );

  const project = largeProject(5000, 4);
  const csv = new TextEncoder().encode(writeCsvSheet(requirementRows(project)));
  const [, importTime] = time(() => {
    const { value } = readCsvSheet(csv, 'big.csv');
    const sheet = value!.sheets[0];
    const empty = { ...tubeCapper, requirements: [], traces: [] };
    let k = 0;
    const result = applyEdit(
      empty,
      takeOver(
        empty,
        compareSheet(empty, readRows(sheet, guessColumns(sheet), 'big.csv').rows, 'big.csv'),
        new Set(
          compareSheet(empty, readRows(sheet, guessColumns(sheet), 'big.csv').rows, 'big.csv').differences.map(
            (d) => d.id,
          ),
        ),
        () => `n-${++k}`,
      ),
    );
    if (result.refused || result.project.requirements.length !== 5000)
      throw new Error(result.refused?.message ?? 'not all rows came in');
  });
  ratio('importing 5,000 requirements from CSV, to the document', importTime, 3000);
  const xlsx = await writeXlsxSheets([{ name: 'R', rows: requirementRows(project), widths: [] }]);
  const begin = performance.now();
  await readXlsxSheets(xlsx);
  ratio('reading 5,000 requirements from XLSX', performance.now() - begin, 3000);
  const many = new TextEncoder().encode(
    ['Id,Text', ...Array.from({ length: 100_000 }, (_, k) => `M-${k},The lamp shall glow ${k} times.`)].join('\n'),
  );
  ratio(
    'reading 100,000 rows from CSV',
    time(() => {
      const { value } = readCsvSheet(many, 'many.csv');
      const sheet = value!.sheets[0];
      if (readRows(sheet, guessColumns(sheet), 'many.csv').rows.length !== 100_000) throw new Error('rows were lost');
    })[1],
    3000,
  );

  ratio(
    'search in 5,000 requirements',
    time(() => {
      for (const word of ['torque', 'guard open', 'zzz']) {
        const words = word.split(' ');
        project.requirements.filter((r) => words.every((w) => `${r.key} ${r.text}`.toLowerCase().includes(w)));
      }
    })[1] / 3,
    50,
  );
  ratio('first graph of 5,000 requirements and 20,000 links', time(() => graphOf(project))[1], 1000);
  const again = Array.from({ length: 5 }, () => structuredClone(project)).map((p) => time(() => graphOf(p))[1]);
  ratio('  of the same made anew, the quickest of five', Math.min(...again), 1000);
  const edited = {
    ...project,
    requirements: project.requirements.map((r, k) =>
      k === 17 ? { ...r, text: 'The spindle speed shall not exceed 5 rpm.' } : r,
    ),
  };
  print(
    `${'graph again after one requirement changed'.padEnd(58)} ${time(() => graphOf(edited))[1]
      .toFixed(0)
      .padStart(6)} ms`,
  );
  ratio('impact of a quantity', time(() => impactOf(edited, 'type/t-spindledrive/quantity/q-speed'))[1], 100);
  ratio(
    'matrix of 5,000 by all linked elements',
    time(() =>
      traceMatrix(project, {
        requirements: '',
        elements: '',
        kinds: ['quantity', 'part', 'state', 'part type', 'equation'],
        show: 'linked',
      }),
    )[1],
    100,
  );
  ratio('completeness', time(() => completeness(project))[1], 200);
  const [html, reportTime] = time(() => reportHtml({ project, standings: new Map(), runs: [], made: '' }));
  ratio(`report (${(html.length / 1e6).toFixed(1)} MB)`, reportTime, 3000);
}
