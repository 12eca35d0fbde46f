'use client';
import { FilePlus2, FolderOpen, Trash2 } from 'lucide-react';
import { nanoid } from 'nanoid';
import { useEffect, useRef, useState } from 'react';
import { emptyProject, newType, type Project } from '@/core/project/project';
import { deleteProject, listProjects, loadProject, saveProject, type ProjectEntry } from '@/store/storage';
import { usePlace } from '@/store/place-store';
import { Button } from '@/ui/button';
import { importFile, openProject, openSample, samples } from '../workbench/files';

/** What one sees before a project is open. */
export function StartScreen() {
  const [kept, setKept] = useState<readonly ProjectEntry[]>([]);
  const [leaving, setLeaving] = useState<string>();
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const refresh = (): void =>
    void listProjects()
      .then(setKept)
      .catch(() => setKept([]));
  useEffect(refresh, []);
  const begin = async (): Promise<void> => {
    const root = newType('t-product', 'Product');
    const project: Project = { ...emptyProject(`p-${nanoid(10)}`, 'New project'), root: root.id, types: [root] };
    openProject(project);
    await saveProject(project).catch(() => undefined);
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
        {kept.length === 0 ? (
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
                      onClick={() => void loadProject(p.id).then((x) => x && openProject(x))}
                    >
                      {p.name}
                    </button>
                    <div className="quiet">{p.note}</div>
                  </td>
                  <td className="quiet text-nowrap">
                    {new Date(p.changed).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}
                  </td>
                  <td className="text-end">
                    {leaving === p.id ? (
                      <Button size="sm" onClick={() => void deleteProject(p.id).then(refresh)}>
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
      </div>
    </main>
  );
}
