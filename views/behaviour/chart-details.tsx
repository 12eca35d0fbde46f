'use client';
import { Download, Plus } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useMemo } from 'react';
import type { Chart, ChartValue, PartType } from '@/core/project/project';
import { writeScxml } from '@/core/formats/scxml-write';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { DeleteCell } from '@/ui/delete-cell';
import { download, fileName } from '@/ui/download';
import { deleteWithImpact } from '@/ui/impact';
import { TraceLinks } from '@/ui/trace-links';
import { freeName } from './free-name';
import { localNames } from './local-names';
import { TextRow } from './text-row';

/** The chart itself: its name, how often during texts run, its own quantities. */
export function ChartDetails({ type, chart }: { readonly type: PartType; readonly chart: Chart }) {
  const { edit } = useProject.getState();
  const list = `types/${type.id}/charts`;
  const values = `${list}/${chart.id}/values`;
  const place = `type/${type.id}/chart/${chart.id}`;
  const names = useMemo(() => localNames(chart), [chart]);
  const add = (): void => {
    const entry: ChartValue = { id: `v-${nanoid(8)}`, name: freeName(chart.values.map((v) => v.name), 'count'), type: 'Integer', value: '0', unit: '' };
    edit({ kind: 'insert', list: values, entry }, `Add the quantity ${entry.name} to ${chart.name}`);
  };
  return (
    <>
      <div className="pane-head">
        <h2>
          <span className="quiet">chart</span> {chart.name}
        </h2>
      </div>
      <div className="pane-body pt-2">
        <div className="field-row">
          <label>Name</label>
          <div>
            <CellField value={chart.name} label="Name of the chart" mono onCommit={(name) => edit({ kind: 'rename', list, id: chart.id, name }, `Rename ${chart.name} to ${name}`)} />
          </div>
        </div>
        <TextRow type={type} label="While texts run every" value={chart.period} place={`${place}/period`} onCommit={(period) => edit({ kind: 'update', list, id: chart.id, changes: { period } }, `Change the period of ${chart.name}`, `period-${chart.id}`)} />
        <h3 className="section-title">Quantities of the chart</h3>
        {chart.values.length === 0 && <p className="quiet px-3">None. A counter or a remembered value that nobody else needs can live here.</p>}
        {chart.values.length > 0 && (
          <table className="table values-table" data-testid="chart-values">
            <thead>
              <tr>
                <th scope="col">Name</th>
                <th scope="col">Kind</th>
                <th scope="col">Starts at</th>
                <th scope="col">Unit</th>
                <th scope="col" aria-label="Delete" />
              </tr>
            </thead>
            <tbody>
              {chart.values.map((v) => {
                const set = (changes: Partial<ChartValue>) => edit({ kind: 'update', list: values, id: v.id, changes }, `Change ${v.name}`);
                return (
                  <tr key={v.id}>
                    <td>
                      <CellField value={v.name} label={`Name of ${v.name}`} mono onCommit={(name) => set({ name })} />
                    </td>
                    <td>
                      <CellSelect value={v.type} label={`Kind of ${v.name}`} options={[['Real', 'number'], ['Integer', 'whole'], ['Boolean', 'yes / no']]} onCommit={(t) => set({ type: t as ChartValue['type'] })} />
                    </td>
                    <td>
                      <CellField value={v.value} label={`Start value of ${v.name}`} mono onCommit={(value) => set({ value })} />
                    </td>
                    <td>
                      <CellField value={v.unit} label={`Unit of ${v.name}`} mono onCommit={(unit) => set({ unit })} />
                    </td>
                    <DeleteCell what={v.name} onDelete={() => edit({ kind: 'remove', list: values, id: v.id }, `Delete ${v.name}`)} />
                  </tr>
                );
              })}
            </tbody>
          </table>
        )}
        <div className="px-3 py-2 d-flex gap-2 flex-wrap">
          <Button size="sm" onClick={add}>
            <Plus size={13} aria-hidden /> Quantity
          </Button>
          <Button size="sm" onClick={() => download(`${fileName(`${type.name}-${chart.name}`)}.scxml`, 'application/scxml+xml', writeScxml(chart))}>
            <Download size={13} aria-hidden /> Save as SCXML
          </Button>
          <Button size="sm" onClick={() => deleteWithImpact(place, { kind: 'remove', list, id: chart.id }, `Delete the chart ${chart.name}`, () => undefined)}>
            Delete the chart
          </Button>
        </div>
        {names.length > chart.values.length && <p className="quiet px-3">Its texts also know {names.slice(chart.values.length).map((n) => n.name).join(', ')} from messages.</p>}
        <p className="quiet px-3 pt-2">
          {chart.states.length} states, {chart.transitions.length} transitions. Choose one on the sheet to edit it; drag from a dot at the edge of a card to another card to connect them.
        </p>
        <TraceLinks address={place} what={chart.name} />
      </div>
    </>
  );
}
