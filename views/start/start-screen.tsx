'use client';
import { Download, FilePlus2, FolderOpen, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useEffect, useRef, useState } from 'react';
import { emptyProject, newType, type Project } from '@/core/project/project';
import {
  deleteProject,
  forgetAside,
  listAside,
  listProjects,
  type AsideRecord,
  type ProjectEntry,
} from '@/store/storage';
import { openNew } from '@/store/opening';
import { isOpenSomewhere } from '@/store/tabs';
import { usePlace } from '@/store/place-store';
import { Button } from '@/ui/button';
import { exportAside, exportKept, importFile, openFromList, openSample, samples } from '../workbench/files';

/** What one sees before a project is open. */
export function StartScreen() {
  const [kept, setKept] = useState<readonly ProjectEntry[]>([]);
  const [leaving, setLeaving] = useState<string>();
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const [aside, setAside] = useState<readonly AsideRecord[]>([]);
  const [silent, setSilent] = useState(false);
  const refresh = (): void =>
    void Promise.all([listProjects(), listAside()])
      .then(([projects, records]) => {
        setKept(projects);
        setAside(records);
        setSilent(false);
      })
      .catch(() => setSilent(true));
  const remove = async (p: ProjectEntry): Promise<void> => {
    if (await isOpenSomewhere(p.id))
      return usePlace.getState().say(`${p.name} is open in another tab: close it there first`);
    await deleteProject(p.id).then(refresh);
  };
  useEffect(refresh, []);
  const begin = async (): Promise<void> => {
    const root = newType('t-product', 'Product');
    const project: Project = { ...emptyProject(`p-${nanoid(10)}`, 'New project'), root: root.id, types: [root] };
    await openNew(project);
    usePlace.getState().go({ area: 'product', part: '', type: '' });
  };
  const take = (file: File | undefined): void => void (file && importFile(file));
  return (
    <main
      className="d-flex justify-content-center"
      style={{ height: '100dvh', overflow: 'auto', background: over ? 'var(--accent-soft)' : undefined }}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        take(e.dataTransfer.files[0]);
      }}
    >
      <div style={{ width: 'min(720px, 92vw)', paddingTop: '9vh' }}>
        <h1 style={{ fontSize: 30, fontWeight: 650, color: 'var(--accent)', marginBottom: 4 }}>Zelvar</h1>
        <p style={{ fontSize: 16, maxWidth: '58ch' }}>
          Describe how a product behaves and which physics it obeys, run it, and see for every requirement whether it
          holds, by how much, and since when.
        </p>
        <div className="d-flex gap-2 flex-wrap my-4">
          <Button variant="primary" onClick={() => void openSample('tube-capper')}>
            <FolderOpen size={15} aria-hidden /> Open the tube capper
          </Button>
          <Button onClick={() => void begin()}>
            <FilePlus2 size={15} aria-hidden /> New project
          </Button>
          <Button onClick={() => input.current?.click()}>
            <FolderOpen size={15} aria-hidden /> Import a file
          </Button>
          <input
            ref={input}
            type="file"
            accept=".zelvar,.json,.csv,.mo"
            hidden
            aria-label="File to import"
            onChange={(e) => {
              take(e.target.files?.[0]);
              e.target.value = '';
            }}
          />
        </div>
        <h2 style={{ fontSize: 14, fontWeight: 600 }} className="quiet">
          Start from
        </h2>
        <div className="starters">
          {samples
            .filter((s) => s.id !== 'tube-capper')
            .map((s) => (
              <button key={s.id} type="button" className="starter" onClick={() => void openSample(s.id)}>
                <strong>{s.name}</strong>
                <span className="quiet">{s.note}</span>
              </button>
            ))}
        </div>
        <h2 style={{ fontSize: 14, fontWeight: 600 }} className="quiet">
          Kept in this browser
        </h2>
        {silent ? (
          <p role="alert">
            This browser lets Zelvar keep nothing here. Everything works, but a project is gone with its page: export it
            before you close it.
          </p>
        ) : kept.length === 0 ? (
          <p className="quiet">
            Nothing yet. Projects are kept here as you change them; a file can also be dropped anywhere on this page.
          </p>
        ) : (
          <table className="table">
            <tbody>
              {kept.map((p) => (
                <tr key={p.id}>
                  <td>
                    <button
                      type="button"
                      className="btn btn-link p-0"
                      style={{ fontSize: 'inherit', fontWeight: 600 }}
                      onClick={() => void openFromList(p.id, p.name)}
                    >
                      {p.name}
                    </button>
                    <div className="quiet">{p.note}</div>
                  </td>
                  <td className="quiet text-nowrap">{day(p.changed)}</td>
                  <td className="text-end text-nowrap">
                    <Button variant="bare" label={`Export ${p.name}`} onClick={() => void exportKept(p.id)}>
                      <Download size={14} aria-hidden />
                    </Button>
                    {leaving === p.id ? (
                      <Button size="sm" onClick={() => void remove(p)}>
                        Delete for good
                      </Button>
                    ) : (
                      <Button variant="bare" label={`Delete ${p.name}`} onClick={() => setLeaving(p.id)}>
                        <Trash2 size={14} aria-hidden />
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {aside.length > 0 && (
          <>
            <h2 style={{ fontSize: 14, fontWeight: 600 }} className="quiet mt-4">
              Set aside, because it could not be read
            </h2>
            <table className="table" data-testid="aside">
              <tbody>
                {aside.map((a) => (
                  <tr key={a.id}>
                    <td>
                      <strong>{a.name}</strong>
                      <div className="quiet">
                        {a.pieces
                          .slice(0, 3)
                          .map((p) => `${p.what}: ${p.why}`)
                          .join('; ')}
                        {a.pieces.length > 3 && ` and ${a.pieces.length - 3} more`}
                      </div>
                    </td>
                    <td className="quiet text-nowrap">{day(a.at)}</td>
                    <td className="text-end text-nowrap">
                      <Button
                        variant="bare"
                        label={`Export what was set aside of ${a.name}`}
                        onClick={() => void exportAside(a)}
                      >
                        <Download size={14} aria-hidden />
                      </Button>
                      <Button
                        variant="bare"
                        label={`Forget what was set aside of ${a.name}`}
                        onClick={() => void forgetAside(a.id).then(refresh)}
                      >
                        <Trash2 size={14} aria-hidden />
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </>
        )}
      </div>
    </main>
  );
}

const day = (at: number): string => new Date(at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' });
