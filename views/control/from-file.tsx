'use client';
import { FileUp } from 'lucide-react';
import { readStimulusCsv } from '@/core/formats/stimulus-csv';
import type { Place } from '@/core/project/project';
import { usePlace } from '@/store/place-store';
import { FileButton } from '@/ui/file-button';
import { addCourses, type SheetAtHand, type SheetChange } from './sheet-edits';

/** More lines at once nobody can tell apart. */
const mostColumns = 12;

/** Columns of a CSV file, of a recording for instance, as lines that follow them over time. */
export function FromFile({
  at,
  onAdd,
}: {
  readonly at: SheetAtHand;
  readonly onAdd: (make: (place: Place) => SheetChange) => void;
}) {
  const read = async (file: File): Promise<void> => {
    const { value, remarks } = readStimulusCsv(new Uint8Array(await file.arrayBuffer()));
    const some = value.slice(0, mostColumns);
    if (some.length > 0) onAdd((place) => addCourses(at, some, file.name, place));
    const left = value.length > mostColumns ? [`Of ${value.length} columns the first ${mostColumns} were taken`] : [];
    const told = [...left, ...remarks].slice(0, 4);
    if (told.length > 0) usePlace.getState().say(told.join('. '), value.length > 0 ? 'note' : undefined);
  };
  return (
    <FileButton
      label="CSV file with values over time"
      accept=".csv,.txt,text/csv"
      title="Time in seconds in the first column of a CSV file, such as a recording, values in the others, names in the first row"
      onFile={(file) => void read(file)}
    >
      <FileUp size={14} aria-hidden /> From CSV
    </FileButton>
  );
}
