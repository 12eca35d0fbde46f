'use client';
import { Download } from 'lucide-react';
import { useEffect, useState } from 'react';
import type { PartType, Project } from '@/core/project/project';
import { archiveOf } from '@/core/formats/archive';
import type { PlantUnit as Made } from '@/core/exchange/service';
import { plantUnit } from '@/store/exchange';
import { Button } from '@/ui/button';
import { download } from '@/ui/download';

const mostTold = 6;

/** What is no software goes by itself: its equations as a unit that other simulators step. */
export function PlantUnit({ project, type }: { readonly project: Project; readonly type: PartType }) {
  const [made, setMade] = useState<Made | 'working'>();
  // what was said of another one is over
  useEffect(() => setMade(undefined), [project, type]);
  const make = async (): Promise<void> => {
    setMade('working');
    const unit = await plantUnit(project, type.id);
    setMade(unit);
    if (unit.files.length === 0) return;
    download(unit.name, 'application/zip', archiveOf(unit.files));
  };
  return (
    <div data-testid="plant-unit">
      <p>
        Its equations can be handed out as a unit for co-simulation (FMI 3.0, as sources in C) where they say everything
        by what is known already, or by linear equations.
      </p>
      <p>
        <Button onClick={() => void make()} disabled={made === 'working'}>
          <Download size={13} aria-hidden /> {made === 'working' ? 'Writing the unit…' : `FMI unit of ${type.name}`}
        </Button>
      </p>
      {made && made !== 'working' && (
        <div role="status">
          {made.files.length > 0 ? (
            <p className="quiet">{made.name} has been handed out.</p>
          ) : (
            <>
              {made.problems.slice(0, mostTold).map((p, k) => (
                <p key={k} className="field-problem mb-1">
                  {p.message}
                </p>
              ))}
              {made.problems.length > mostTold && (
                <p className="quiet">and {made.problems.length - mostTold} more of that kind</p>
              )}
            </>
          )}
        </div>
      )}
    </div>
  );
}
