import { Trash2 } from 'lucide-react';
import { Button } from './button';

/** The last cell of a table row: deletes what the row shows. `what` completes "Delete ...". */
export function DeleteCell({ what, onDelete }: { readonly what: string; readonly onDelete: () => unknown }) {
  return (
    <td>
      <Button
        variant="bare"
        label={`Delete ${what}`}
        onClick={(e) => {
          e.stopPropagation();
          onDelete();
        }}
      >
        <Trash2 size={13} aria-hidden />
      </Button>
    </td>
  );
}
