import type { Project } from '../project/project';
import { addressOf, type CoverageReport } from './report';

export const percent = ({ covered, wanted }: { readonly covered: number; readonly wanted: number }): string =>
  wanted === 0 ? 'nothing to come through' : `${(Math.floor((1000 * covered) / wanted) / 10).toFixed(1)} %`;

/** What cases come through, and what they do not, as a file. */
export const writeCoverage = (project: Project, report: CoverageReport): string =>
  JSON.stringify(
    {
      format: 'zelvar-coverage',
      version: 1,
      project: project.name,
      covered: report.covered,
      wanted: report.wanted,
      types: report.types.map((t) => ({
        type: t.name,
        covered: t.covered,
        wanted: t.wanted,
        items: t.items.map(({ item, by, gap, why, isUnasked, excuse }) => ({
          kind: item.kind,
          element: addressOf(item),
          ...(item.of.inside !== '' && { inside: item.of.inside }),
          text: item.text,
          covered: item.hasCome,
          cases: by.map((c) => c.name),
          ...(item.pair && { shownBy: item.pair.by, words: item.pair.words }),
          ...(isUnasked && { unasked: true }),
          ...(gap && { gap, why }),
          ...(excuse && { excuse: { kind: excuse.kind, reason: excuse.reason, by: excuse.by, on: excuse.on } }),
        })),
      })),
      suspicious: report.suspicious,
    },
    null,
    1,
  );
