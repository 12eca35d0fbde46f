'use client';
import { Plus, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { isBinding, type Project, type Study } from '@/core/project/project';
import { aimName, marginKey } from '@/core/studies/study';
import { bytesPerRun } from '@/core/studies/run-table';
import { Button } from '@/ui/button';
import { CellField, CellSelect } from '@/ui/cell-field';
import { beginRow } from '@/ui/editing/rows';
import { EditableRow, RowHandle } from '@/ui/editing/row-handle';
import { FieldRow } from '@/ui/field-row';
import { formatNumber, withUnit } from '@/ui/format';
import { limitNames } from '@/ui/run-names';
import type { StudyFields } from './study-fields';
import { MeasuredColumns } from './measured-columns';
import { proposedRange, rangeWords, sizeWords } from './study-words';

interface Props {
  readonly project: Project;
  readonly study: Study;
  readonly fields: StudyFields;
}

/** What a study asks: which setup, which values, what is looked for, and how. */
export function StudyQuestion({ project, study, fields }: Props) {
  const { kind } = study;
  return (
    <div className="study-question" data-testid="study-question">
      <Basics project={project} study={study} fields={fields} />
      {kind !== 'compare' && <Values project={project} study={study} fields={fields} />}
      {kind === 'vary' && study.values.length > 1 && <Correlations study={study} fields={fields} />}
      {kind === 'breaks' && <Messages study={study} fields={fields} />}
      {(kind === 'vary' || kind === 'matters' || kind === 'best') && <Aims study={study} fields={fields} />}
      {(kind === 'fit' || kind === 'compare') && <MeasuredColumns project={project} study={study} fields={fields} />}
      <HowItIsAsked project={project} study={study} fields={fields} />
    </div>
  );
}

function Basics({ project, study, fields: { set, problemOf } }: Props) {
  const requirements = project.requirements.filter(isBinding);
  return (
    <div className="pt-2">
      {study.kind !== 'compare' && (
        <FieldRow label="Runs">
          <CellSelect
            value={study.setup}
            label="Setup that is run"
            options={[
              ...(study.setup === '' || project.setups.some((s) => s.id === study.setup)
                ? []
                : [[study.setup, 'a setup that is gone'] as const]),
              ['', project.setups[0] ? `${project.setups[0].name} (the first setup)` : 'no setup'] as const,
              ...project.setups.map((s) => [s.id, s.name] as const),
            ]}
            onCommit={(setup) => set({ setup }, 'Change the setup')}
          />
          {problemOf('setup') !== undefined && <div className="field-problem">{problemOf('setup')}</div>}
        </FieldRow>
      )}
      {study.kind === 'breaks' && (
        <FieldRow label="Requirement">
          <CellSelect
            value={study.requirement}
            label="Requirement that is to be broken"
            options={[
              ['', 'choose one'],
              ...requirements.map((r) => [r.id, `${r.key}  ${r.text.slice(0, 70)}`] as const),
            ]}
            onCommit={(requirement) => set({ requirement }, 'Change the requirement')}
          />
          {problemOf('requirement') !== undefined && <div className="field-problem">{problemOf('requirement')}</div>}
        </FieldRow>
      )}
      {study.kind === 'compare' && (
        <FieldRow label="Setups" className="d-flex flex-wrap column-gap-3">
          {project.setups.map((s) => (
            <label key={s.id} className="d-flex gap-2 align-items-center">
              <input
                type="checkbox"
                className="form-check-input mt-0"
                checked={study.setups.includes(s.id)}
                onChange={(e) =>
                  set(
                    {
                      setups: e.target.checked ? [...study.setups, s.id] : study.setups.filter((x) => x !== s.id),
                    },
                    'Change the setups',
                  )
                }
              />
              {s.name}
              {study.setups[0] === s.id && <span className="quiet">what the others are compared with</span>}
            </label>
          ))}
        </FieldRow>
      )}
    </div>
  );
}

const rangeHelp: Readonly<Record<Study['kind'], string>> = {
  vary: 'from:to:count, or a, b, c, or normal(mean, deviation), uniform(low, high), triangular(low, mode, high), lognormal(median, spread)',
  matters: 'low:high',
  best: 'low:high',
  breaks: 'low:high',
  fit: 'low:high',
  compare: '',
};
const valuesTitle: Readonly<Record<Study['kind'], string>> = {
  vary: 'Varied values',
  matters: 'Values in question',
  best: 'Values that may change',
  breaks: 'Values that may be different',
  fit: 'Values to be found',
  compare: '',
};

function Values({ study, fields }: Props) {
  const { at, names, facts, put, remove, problemOf } = fields;
  const list = `${at}/value`;
  return (
    <>
      <h3 className="section-title">
        {valuesTitle[study.kind]}
        <Button
          size="sm"
          data-adds={list}
          onClick={() =>
            beginRow(
              list,
              { id: `w-${nanoid(8)}`, name: names.parameters()[0]?.name ?? 'part.quantity', range: '' },
              'Vary a value',
            )
          }
        >
          <Plus size={13} aria-hidden /> Value
        </Button>
      </h3>
      {study.values.length > 0 && (
        <table className="table" data-testid="study-values" data-rows={list} data-enter="through">
          <tbody>
            {study.values.map((v, k) => {
              const unit = facts?.units[k] ?? '';
              const nominal = facts?.nominal[k];
              const problem = problemOf(`value/${v.id}/range`);
              const words = rangeWords(v.range, study.kind, unit);
              return (
                <EditableRow key={v.id} address={`${list}/${v.id}`}>
                  <RowHandle address={`${list}/${v.id}`} what={v.name} />
                  <td className="studied">
                    <CellField
                      value={v.name}
                      label="Quantity that takes other values"
                      mono
                      names={names.parameters}
                      problem={problemOf(`value/${v.id}/name`)}
                      onCommit={(name) => put('value', v.id, { name: name.trim() }, 'Change what is varied')}
                    />
                    <span className="of">
                      <CellField
                        value={v.range}
                        label={`Values of ${v.name}`}
                        mono
                        placeholder={proposedRange(study.kind, nominal)}
                        problem={problem}
                        onCommit={(range) =>
                          put('value', v.id, { range: range.trim() }, `Change the values of ${v.name}`)
                        }
                      />
                      {v.range.trim() === '' && (
                        <Button
                          size="sm"
                          onClick={() =>
                            put(
                              'value',
                              v.id,
                              { range: proposedRange(study.kind, nominal) },
                              `Change the values of ${v.name}`,
                            )
                          }
                        >
                          Use {proposedRange(study.kind, nominal)}
                        </Button>
                      )}
                    </span>
                    <span className="quiet under">
                      {[
                        problem === undefined ? words : '',
                        !facts
                          ? ''
                          : nominal === undefined
                            ? 'no value before the run'
                            : `${withUnit(formatNumber(nominal, 5), unit)} as designed`,
                      ]
                        .filter((x) => x !== '')
                        .join('; ')}
                    </span>
                  </td>
                  <td style={{ width: 36 }}>
                    <Button
                      variant="bare"
                      label={`Take ${v.name} out of the study`}
                      onClick={() => remove('value', v.id, 'Take a value out of the study')}
                    >
                      <Trash2 size={13} aria-hidden />
                    </Button>
                  </td>
                </EditableRow>
              );
            })}
          </tbody>
        </table>
      )}
      {(study.values.length === 0 ||
        study.values.some((v) => v.range.trim() === '' || problemOf(`value/${v.id}/range`) !== undefined)) && (
        <p className="quiet px-3 mb-1 small">{rangeHelp[study.kind]}</p>
      )}
    </>
  );
}

/** How drawn values hang together. */
function Correlations({ study, fields: { set } }: Pick<Props, 'study' | 'fields'>) {
  const drawn = study.values.filter((v) => /^\s*[a-z]+\s*\(/i.test(v.range));
  if (drawn.length < 2) return null;
  const free = drawn.flatMap((a, i) =>
    drawn
      .slice(i + 1)
      .flatMap((b) =>
        study.correlations.some((c) => (c.a === a.id && c.b === b.id) || (c.a === b.id && c.b === a.id))
          ? []
          : [[a, b] as const],
      ),
  );
  const nameOf = (id: string): string => study.values.find((v) => v.id === id)?.name ?? '';
  return (
    <>
      <h3 className="section-title">
        Correlations
        <Button
          size="sm"
          disabled={free.length === 0}
          onClick={() =>
            set(
              { correlations: [...study.correlations, { a: free[0][0].id, b: free[0][1].id, r: 0.5 }] },
              'Add a correlation',
            )
          }
        >
          <Plus size={13} aria-hidden /> Correlation
        </Button>
      </h3>
      {study.correlations
        .filter((c) => nameOf(c.a) !== '' && nameOf(c.b) !== '')
        .map((c) => (
          <FieldRow
            key={`${c.a} ${c.b}`}
            label={<span className="mono">{`${nameOf(c.a)}, ${nameOf(c.b)}`}</span>}
            className="d-flex gap-1"
          >
            <CellField
              value={String(c.r)}
              label={`Correlation of ${nameOf(c.a)} and ${nameOf(c.b)}`}
              mono
              onCommit={(text) => {
                const r = Number(text);
                return text.trim() !== '' && Math.abs(r) <= 1
                  ? set(
                      { correlations: study.correlations.map((x) => (x === c ? { ...c, r } : x)) },
                      'Change a correlation',
                    )
                  : { severity: 'error', code: 'number', message: 'A correlation lies between -1 and 1' };
              }}
            />
            <Button
              variant="bare"
              label="Take the correlation out"
              onClick={() => set({ correlations: study.correlations.filter((x) => x !== c) }, 'Remove a correlation')}
            >
              <Trash2 size={13} aria-hidden />
            </Button>
          </FieldRow>
        ))}
    </>
  );
}

function Messages({ study, fields }: Pick<Props, 'study' | 'fields'>) {
  const { at, names, put, remove, problemOf } = fields;
  const list = `${at}/message`;
  const time = (m: Study['messages'][number], key: 'from' | 'to') => (
    <CellField
      value={String(m[key])}
      label={`${key === 'from' ? 'From' : 'To'} when ${m.target} may come, in s`}
      mono
      problem={problemOf(`message/${m.id}/${key}`)}
      onCommit={(text) => {
        const t = Number(text.replace(/\s*s$/, ''));
        return text.trim() !== '' && Number.isFinite(t)
          ? put('message', m.id, { [key]: t }, 'Change when it may come')
          : { severity: 'error', code: 'number', message: `"${text}" is not a number` };
      }}
    />
  );
  return (
    <>
      <h3 className="section-title">
        Messages that may come
        <Button
          size="sm"
          data-adds={list}
          onClick={() =>
            beginRow(
              list,
              { id: `m-${nanoid(8)}`, target: names.messages()[0]?.name ?? 'part.message', value: '', from: 0, to: 1 },
              'Let a message come',
            )
          }
        >
          <Plus size={13} aria-hidden /> Message
        </Button>
      </h3>
      {study.messages.length > 0 && (
        <table className="table" data-testid="study-messages" data-rows={list} data-enter="through">
          <thead>
            <tr>
              <th aria-label="Choose" />
              <th>what comes</th>
              <th>set to</th>
              <th>from s</th>
              <th>to s</th>
              <th aria-label="Take out" />
            </tr>
          </thead>
          <tbody>
            {study.messages.map((m) => (
              <EditableRow key={m.id} address={`${list}/${m.id}`}>
                <RowHandle address={`${list}/${m.id}`} what={m.target} />
                <td style={{ width: '44%' }}>
                  <CellField
                    value={m.target}
                    label="Message, or quantity that is set"
                    mono
                    names={() => [...names.messages(), ...names.settable()]}
                    problem={problemOf(`message/${m.id}/target`)}
                    onCommit={(target) => put('message', m.id, { target: target.trim() }, 'Change what may come')}
                  />
                </td>
                <td>
                  <CellField
                    value={m.value}
                    label={`What ${m.target} is set to`}
                    mono
                    placeholder="sent"
                    onCommit={(value) => put('message', m.id, { value: value.trim() }, 'Change what it is set to')}
                  />
                </td>
                <td>{time(m, 'from')}</td>
                <td>{time(m, 'to')}</td>
                <td style={{ width: 36 }}>
                  <Button
                    variant="bare"
                    label={`Take ${m.target} out of the study`}
                    onClick={() => remove('message', m.id, 'Take a message out of the study')}
                  >
                    <Trash2 size={13} aria-hidden />
                  </Button>
                </td>
              </EditableRow>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

function Aims({ study, fields }: Pick<Props, 'study' | 'fields'>) {
  const { at, put, remove, problemOf, facts } = fields;
  const list = `${at}/aim`;
  const isBest = study.kind === 'best';
  const sought = study.aims.length;
  return (
    <>
      <h3 className="section-title">
        {isBest ? 'What is sought' : 'Told of each run, besides the margins'}
        {(!isBest || sought < 2) && (
          <Button
            size="sm"
            data-adds={list}
            onClick={() =>
              beginRow(
                list,
                { id: `i-${nanoid(8)}`, name: '', sense: isBest ? 'low' : 'told', formula: '' },
                'Add a formula',
              )
            }
          >
            <Plus size={13} aria-hidden /> Formula
          </Button>
        )}
      </h3>
      {sought > 0 && (
        <table className="table" data-testid="study-aims" data-rows={list} data-enter="through">
          <tbody>
            {study.aims.map((a, k) => (
              <EditableRow key={a.id} address={`${list}/${a.id}`}>
                <RowHandle address={`${list}/${a.id}`} what={aimName(a)} />
                {isBest && (
                  <td style={{ width: 104 }}>
                    <CellSelect
                      value={a.sense === 'high' ? 'high' : 'low'}
                      label="As low or as high as it can be"
                      options={[
                        ['low', 'lowest'],
                        ['high', 'highest'],
                      ]}
                      onCommit={(sense) => put('aim', a.id, { sense }, 'Change what is sought')}
                    />
                  </td>
                )}
                <td className="studied">
                  <CellField
                    value={a.name}
                    label="Name of the formula"
                    placeholder="a name, such as cycle time"
                    onCommit={(name) => put('aim', a.id, { name: name.trim() }, 'Name the formula')}
                  />
                  <CellField
                    value={a.formula}
                    multiline
                    label={isBest ? 'Formula that is sought' : 'Formula that is told'}
                    mono
                    names={limitNames(fields.names, isBest ? margins : [])}
                    placeholder={isBest ? 'highest(cap.torque), or margin(CAP-02)' : 'highest(cap.torque)'}
                    problem={problemOf(`aim/${a.id}/formula`)}
                    onCommit={(formula) => put('aim', a.id, { formula: formula.trim() }, 'Change the formula')}
                  />
                </td>
                <td className="quiet mono" style={{ width: 60 }}>
                  {marginKey(a.formula) === undefined
                    ? (facts?.aimUnits[
                        study.aims.slice(0, k).filter((x) => marginKey(x.formula) === undefined).length
                      ] ?? '')
                    : ''}
                </td>
                <td style={{ width: 36 }}>
                  <Button
                    variant="bare"
                    label="Take the formula out"
                    onClick={() => remove('aim', a.id, 'Take a formula out')}
                  >
                    <Trash2 size={13} aria-hidden />
                  </Button>
                </td>
              </EditableRow>
            ))}
          </tbody>
        </table>
      )}
      {isBest && (
        <p className="quiet px-3 mb-1 small">
          All requirements have to hold. With two formulas the border of what can be had is shown.
        </p>
      )}
    </>
  );
}
const margins = [{ name: 'margin', detail: 'margin(KEY) of a requirement' }];

function HowItIsAsked({ study, fields }: Props) {
  const { set, facts, problemOf } = fields;
  const { kind } = study;
  const number = (key: 'runs' | 'seed', label: string, after = '') => (
    <FieldRow label={label} className="d-flex align-items-baseline gap-2">
      <span className="short-field">
        <CellField
          value={String(study[key])}
          label={label}
          mono
          onCommit={(text) => {
            const x = Number(text.replace(/[\s,]/g, ''));
            return text.trim() !== '' && Number.isInteger(x)
              ? set({ [key]: x }, `Change ${label.toLowerCase()}`)
              : { severity: 'error', code: 'number', message: `"${text}" is no whole number` };
          }}
        />
      </span>
      <span className="quiet">{after}</span>
    </FieldRow>
  );
  const isDrawn = study.values.some((v) => /^\s*[a-z]+\s*\(/i.test(v.range));
  const perRun = facts && bytesPerRun(study.values.length, facts.requirements, study.aims.length);
  return (
    <>
      {kind !== 'compare' && <h3 className="section-title">How it is asked</h3>}
      {kind === 'vary' && isDrawn && (
        <>
          {number('runs', 'Draws', 'for each combination of the other values')}
          <FieldRow label="Drawn">
            <CellSelect
              value={study.drawing}
              label="How values are drawn"
              options={[
                ['slices', 'in equally likely slices (Latin hypercube)'],
                ['sobol', 'evenly filling (Sobol)'],
                ['random', 'each by itself'],
              ]}
              onCommit={(drawing) => set({ drawing: drawing as Study['drawing'] }, 'Change how values are drawn')}
            />
          </FieldRow>
        </>
      )}
      {(kind === 'matters' || kind === 'best' || kind === 'breaks') && number('runs', 'Runs', 'at most')}
      {(kind === 'best' || kind === 'breaks') && study.aims.length < 2 && (
        <FieldRow label="Method">
          <CellSelect
            value={study.method}
            label="Method"
            options={[
              ['both', 'differential evolution, then a simplex'],
              ['global', 'differential evolution (Storn and Price)'],
              ['local', 'simplex from the design (Nelder and Mead)'],
            ]}
            onCommit={(method) => set({ method: method as Study['method'] }, 'Change the method')}
          />
        </FieldRow>
      )}
      {kind === 'fit' && (
        <>
          <FieldRow label="Held back" className="d-flex align-items-baseline gap-2">
            <span className="short-field">
              <CellField
                value={String(Number((100 * study.holdBack).toFixed(6)))}
                label="Last part of the time that is held back, in %"
                mono
                onCommit={(text) => {
                  const x = Number(text.replace(/\s*%$/, ''));
                  return text.trim() !== '' && Number.isFinite(x)
                    ? set({ holdBack: x / 100 }, 'Change what is held back')
                    : { severity: 'error', code: 'number', message: `"${text}" is not a number` };
                }}
              />
            </span>
            <span className="quiet">% of the time, to check afterwards</span>
          </FieldRow>
          <FieldRow label="Shift">
            <CellField
              value={study.shift}
              label="By how many seconds the recordings may be moved, low:high"
              mono
              placeholder="none; low:high in s lets it be found"
              problem={problemOf('shift')}
              onCommit={(shift) => set({ shift: shift.trim() }, 'Change the shift')}
            />
          </FieldRow>
        </>
      )}
      {kind !== 'compare' &&
        (kind !== 'vary' || isDrawn) &&
        number('seed', 'Seed', 'the same seed gives the same runs')}
      {kind === 'vary' && perRun !== undefined && (
        <p className="quiet px-3 mb-2 small" data-testid="what-is-kept">
          Kept of each run: its values, verdicts, margins and what is told ({sizeWords(perRun)}). A recording is made
          again when a run is opened: it is the same to the last digit.
        </p>
      )}
    </>
  );
}
