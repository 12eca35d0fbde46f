'use client';
import { Download, Plus } from 'lucide-react';
import { useMemo } from 'react';
import type { Chart, PartType } from '@/core/project/project';
import { writeScxml } from '@/core/formats/scxml-write';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { download, fileName } from '@/ui/download';
import { deleteWithImpact } from '@/ui/impact';
import { TraceLinks } from '@/ui/trace-links';
import { localNames } from './local-names';
import { TextRow } from './text-row';
import { addValue, ValuesTable } from './values-table';
import { FieldRow } from '@/ui/field-row';

const counted = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;

/** The chart itself: its name, how often do texts run, its own quantities. */
export function ChartDetails({ type, chart }: { readonly type: PartType; readonly chart: Chart }) {
  const { edit } = useProject.getState();
  const list = `type/${type.id}/chart`;
  const values = `${list}/${chart.id}/value`;
  const place = `type/${type.id}/chart/${chart.id}`;
  const names = useMemo(() => localNames(chart), [chart]);
  const add = (): void => addValue(values, chart.values, chart.name, { name: 'count', type: 'Integer' });
  return (
    <>
      <div className="pane-head">
        <h2>
          <span className="quiet">chart</span> {chart.name}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <FieldRow label="Name">
          <CellField
            value={chart.name}
            label="Name of the chart"
            mono
            onCommit={(name) => edit({ kind: 'rename', list, id: chart.id, name }, `Rename ${chart.name} to ${name}`)}
          />
        </FieldRow>
        <TextRow
          type={type}
          label="do texts run every"
          value={chart.period}
          place={`${place}/period`}
          onCommit={(period) =>
            edit(
              { kind: 'update', list, id: chart.id, changes: { period } },
              `Change the period of ${chart.name}`,
              `period-${chart.id}`,
            )
          }
        />
        <h3 className="section-title">Quantities of the chart</h3>
        {chart.values.length === 0 && (
          <p className="quiet px-3">None. A counter or a remembered value that nobody else needs can live here.</p>
        )}
        <ValuesTable list={values} values={chart.values} testId="chart-values" />
        <div className="px-3 py-2 d-flex gap-2 flex-wrap">
          <Button size="sm" onClick={add}>
            <Plus size={13} aria-hidden /> Quantity
          </Button>
          <Button
            size="sm"
            onClick={() =>
              download(`${fileName(`${type.name}-${chart.name}`)}.scxml`, 'application/scxml+xml', writeScxml(chart))
            }
          >
            <Download size={13} aria-hidden /> Save as SCXML
          </Button>
          <Button
            size="sm"
            onClick={() =>
              deleteWithImpact(
                place,
                { kind: 'remove', list, id: chart.id },
                `Delete the chart ${chart.name}`,
                () => undefined,
              )
            }
          >
            Delete the chart
          </Button>
        </div>
        {names.length > chart.values.length && (
          <p className="quiet px-3">
            Its texts also know{' '}
            {names
              .slice(chart.values.length)
              .map((n) => n.name)
              .join(', ')}{' '}
            from messages.
          </p>
        )}
        <p className="quiet px-3 pt-2">
          {counted(chart.states.length, 'state')}, {counted(chart.transitions.length, 'transition')}. Choose one on the
          sheet to edit it; drag from a dot at the edge of a card to another card to connect them.
        </p>
        <TraceLinks address={place} what={chart.name} />
      </div>
    </>
  );
}
