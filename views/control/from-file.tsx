'use client';
import { FileUp } from 'lucide-react';
import { useRef, type ChangeEvent } from 'react';
import { readStimulusCsv } from '@/core/formats/stimulus-csv';
import type { Place } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { Button } from '@/ui/button';
import { addCourses, type SheetAtHand, type SheetChange } from './sheet-edits';

/** Columns of a CSV file, of a recording for instance, as lines that follow them over time. */
export function FromFile({
  at,
  onAdd,
}: {
  readonly at: SheetAtHand;
  readonly onAdd: (make: (place: Place) => SheetChange) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const read = async (e: ChangeEvent<HTMLInputElement>): Promise<void> => {
    const file = e.target.files?.[0];
    e.target.value = '';
    if (!file) return;
    const { value, remarks } = readStimulusCsv(new Uint8Array(await file.arrayBuffer()));
    const { say } = usePlace.getState();
    const some = value.slice(0, mostColumns);
    if (some.length > 0) onAdd((place) => addCourses(at, some, file.name, place));
    const left = value.length > mostColumns ? [`Of ${value.length} columns the first ${mostColumns} were taken`] : [];
    const told = [...left, ...remarks].slice(0, 4);
    if (told.length > 0) say(told.join('. '), value.length > 0 ? 'note' : undefined);
  };
  return (
    <>
      <Button
        onClick={() => input.current?.click()}
        title="Time in seconds in the first column of a CSV file, such as a recording, values in the others, names in the first row"
      >
        <FileUp size={14} aria-hidden /> From CSV
      </Button>
      <input
        ref={input}
        type="file"
        accept=".csv,text/csv"
        hidden
        aria-label="CSV file with values over time"
        onChange={(e) => void read(e)}
      />
    </>
  );
}
/** More lines at once nobody can tell apart. */
const mostColumns = 12;
