'use client';
import { useEffect, useMemo } from 'react';
import type { Problem } from '@/core/language/diagnostics';
import { namesOfRun } from '@/core/run/names-of-run';
import type { PartType, Project } from '@/core/project/project';
import { problemsAt, useHere } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';
import { CellField } from '@/ui/cell-field';
import { Choices } from '@/ui/choices';
import { BuildSheet } from './build-sheet';
import { CodeSheet } from './code-sheet';
import { LineSheet } from './line-sheet';
import { NumbersSheet } from './numbers-sheet';
import { PinsSheet } from './pins-sheet';
import { PlantUnit } from './plant-unit';
import { StagesSheet } from './stages-sheet';
import { TimesSheet } from './times-sheet';
import './board.scss';

const sheets: readonly string[] = ['numbers', 'pins', 'build', 'stages', 'times', 'line'];

/** Board: part types that are software as code, and how they do in other stages. */
export function BoardSheet() {
  const { project, type: here } = useHere();
  const sheet = usePlace((s) => s.sheet);
  const part = usePlace((s) => s.part);
  const chosen = usePlace((s) => s.type !== '' || s.part !== '');
  // nothing is chosen yet: the first software there is
  const first =
    chosen || !project || (here && here.software.trim() !== '')
      ? undefined
      : project.types.find((t) => t.software.trim() !== '');
  useEffect(() => {
    if (!first || !project) return;
    usePlace.setState(placeOf(project, first));
    usePlace.getState().select('');
  }, [project, first]);
  const type = first ?? here;
  if (!project || !type) return null;
  if (type.software.trim() === '') return <NoSoftware project={project} type={type} />;
  return (
    <>
      <div className="pane-head board-head">
        <h2>{type.name}</h2>
        <StepTime type={type} />
        <span style={{ flex: 1 }} />
        <Choices
          label="What of the software"
          choices={[
            { key: '', text: 'Code' },
            { key: 'numbers', text: 'Numbers' },
            { key: 'pins', text: 'Pins' },
            { key: 'build', text: 'Build' },
            { key: 'stages', text: 'Stages' },
            { key: 'times', text: 'Times' },
            { key: 'line', text: 'Line' },
          ]}
          chosen={sheets.includes(sheet) ? sheet : ''}
          onChoose={(key) => usePlace.getState().go({ sheet: key, item: '' })}
        />
      </div>
      {sheet === 'numbers' ? (
        <NumbersSheet key={type.id} project={project} type={type} part={part} />
      ) : sheet === 'pins' ? (
        <PinsSheet key={type.id} project={project} type={type} part={part} />
      ) : sheet === 'build' ? (
        <BuildSheet key={type.id} project={project} type={type} />
      ) : sheet === 'stages' ? (
        <StagesSheet key={type.id} project={project} type={type} part={part} />
      ) : sheet === 'line' ? (
        <LineSheet project={project} type={type} part={part} />
      ) : sheet === 'times' ? (
        <TimesSheet type={type} part={part} />
      ) : (
        <CodeSheet key={type.id} project={project} type={type} />
      )}
    </>
  );
}

/** How much time lies between steps of a part type. */
function StepTime({ type }: { readonly type: PartType }) {
  const problems = useProject((s) => s.problems);
  return (
    <span className="step-time">
      <span className="quiet">a step every</span>
      <CellField
        value={type.software}
        label={`Time between steps of ${type.name}`}
        mono
        placeholder="0.01 's'"
        problem={problemsAt(problems, `type/${type.id}/software`)[0]?.message}
        onCommit={(software) => setSoftware(type, software.trim())}
      />
    </span>
  );
}

const setSoftware = (type: PartType, software: string): Problem | undefined =>
  useProject
    .getState()
    .edit(
      { kind: 'update', list: 'type', id: type.id, changes: { software } },
      software === '' ? `${type.name} is no software` : `Steps of ${type.name}`,
    );

/** What can be software, and what is. */
function NoSoftware({ project, type }: { readonly project: Project; readonly type: PartType }) {
  const software = project.types.filter((t) => t.software.trim() !== '');
  const used = useMemo(
    () => [...new Set(namesOfRun(project, project.root).flatMap((n) => (n.kind === 'part' ? [n.detail] : [])))],
    [project],
  );
  // what decides something: charts, procedures, sheets that work at ticks
  const able = project.types.filter(
    (t) =>
      t.software.trim() === '' &&
      (t.charts.length > 0 || t.procedures.length > 0 || t.signals.some((s) => s.every.trim() !== '')) &&
      // what moves by itself is no software
      !/\bder\s*\(/.test(t.physics) &&
      (used.includes(t.name) || t.id === project.root),
  );
  const rhythmOf = (t: PartType): string => t.signals.find((s) => s.every.trim() !== '')?.every.trim() ?? "0.01 's'";
  return (
    <div className="empty">
      <h3>{software.length === 0 ? 'No software yet' : `${type.name} is no software`}</h3>
      <p>
        A part type that is software works in steps, so much time apart. It is written as C and run in steps beside the
        simulated rest of the product, to be compared with what was designed.
      </p>
      {software.length > 0 && (
        <p>
          Software here:{' '}
          {software.map((t) => (
            <Button key={t.id} size="sm" className="me-1" onClick={() => goToType(project, t)}>
              {t.name}
            </Button>
          ))}
        </p>
      )}
      {able.length > 0 ? (
        <p>
          {able.map((t) => (
            <Button
              key={t.id}
              className="me-1 mb-1"
              variant={t.id === type.id ? 'primary' : 'plain'}
              onClick={() => {
                setSoftware(t, rhythmOf(t));
                goToType(project, t);
              }}
            >
              {t.name} is software, a step every {rhythmOf(t).replace(/'/g, '')}
            </Button>
          ))}
        </p>
      ) : (
        software.length === 0 && (
          <p>Give a part type a state chart, a procedure or a sheet that works at ticks: then it can be software.</p>
        )
      )}
      <PlantUnit project={project} type={type} />
    </div>
  );
}

/** A part of this type, or the type where no part is of it. */
function placeOf(project: Project, type: PartType): { readonly part: string; readonly type: string } {
  const found = namesOfRun(project, project.root).find((n) => n.kind === 'part' && n.detail === type.name);
  return { part: found?.name ?? '', type: found ? '' : type.id };
}
const goToType = (project: Project, type: PartType): void =>
  usePlace.getState().go({ area: 'board', ...placeOf(project, type), sheet: '' });
