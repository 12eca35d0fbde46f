'use client';
import { ListChecks, Plus } from 'lucide-react';
import { useState } from 'react';
import { useSetup } from '@/store/derived';
import { usePlace } from '@/store/place-store';
import { useProject } from '@/store/project-store';
import { useRuns } from '@/store/run-store';
import { Button } from '@/ui/button';
import { Choices } from '@/ui/choices';
import { addSetup } from '@/ui/editing/make';
import { PanelDetails } from './panel-details';
import { PanelEditor } from './panel-editor';
import { PanelView } from './panel-view';
import { BatchRun } from './setup-extras';
import { StudyDetails } from './studies/study-details';
import { NewStudy } from './studies/new-study';
import { StudySheet } from './studies/study-sheet';
import { SetupForm } from './setup-form';

/** What runs, and the panel to act on it while it does. */
export function BenchSheet() {
  const project = useProject((s) => s.project);
  const setup = useSetup();
  const chooseSetup = useRuns((s) => s.chooseSetup);
  const [batch, setBatch] = useState(false);
  const sheet = usePlace((s) => s.sheet);
  if (!project) return null;
  const arranged = sheet.startsWith('panel/') ? project.panels.find((p) => `panel/${p.id}` === sheet) : undefined;
  if (arranged) return <PanelEditor project={project} panel={arranged} />;
  const study = sheet.startsWith('study/') ? project.studies.find((s) => `study/${s.id}` === sheet) : undefined;
  if (study) return <StudySheet key={study.id} project={project} study={study} />;
  return (
    <>
      <div className="pane-head">
        <h2>Setups</h2>
        <Button onClick={() => addSetup(project)}>
          <Plus size={14} aria-hidden /> Setup
        </Button>
        {project.setups.length > 1 && (
          <Button onClick={() => setBatch(!batch)} aria-pressed={batch} data-testid="show-batch">
            <ListChecks size={14} aria-hidden /> Run several
          </Button>
        )}
        <NewStudy project={project} />
      </div>
      <div className="bench" style={{ flex: 1 }}>
        <div>
          {project.setups.length === 0 ? (
            <div className="empty">
              <h3>Nothing to run yet</h3>
              <p>
                A setup says what is run: changed values, what happens from outside and when, for how long and how
                exactly.
              </p>
              <Button variant="primary" onClick={() => addSetup(project)}>
                <Plus size={14} aria-hidden /> Add a setup
              </Button>
            </div>
          ) : (
            <>
              <Choices
                label="Setups"
                choices={project.setups.map((s) => ({ key: s.id, text: s.name, element: `setup/${s.id}` }))}
                chosen={setup?.id}
                onChoose={chooseSetup}
              />
              {batch && <BatchRun project={project} close={() => setBatch(false)} />}
              {setup && !batch && (
                <SetupForm key={setup.id} project={project} setup={setup} copy={() => addSetup(project, setup)} />
              )}
            </>
          )}
        </div>
        <div>
          <PanelView project={project} />
        </div>
      </div>
    </>
  );
}

/** What is chosen on a panel being arranged, or a run of a study; the bench itself needs no details. */
export function BenchDetails() {
  const project = useProject((s) => s.project);
  const sheet = usePlace((s) => s.sheet);
  const panel = project?.panels.find((p) => `panel/${p.id}` === sheet);
  const study = project?.studies.find((s) => `study/${s.id}` === sheet);
  if (project && study) return <StudyDetails project={project} study={study} />;
  return project && panel ? <PanelDetails project={project} panel={panel} /> : null;
}
