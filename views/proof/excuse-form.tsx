'use client';
import { yupResolver } from '@hookform/resolvers/yup';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import * as yup from 'yup';
import type { Excuse } from '@/core/project/project';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';

const formSchema = yup.object({
  kind: yup.mixed<'justified' | 'deactivated'>().oneOf(['justified', 'deactivated']).required(),
  reason: yup.string().trim().required('Why need it not be?').max(4000),
  by: yup.string().trim().required('Who says so?').max(200),
  on: yup
    .string()
    .required('On which day?')
    .matches(/^\d{4}-\d\d-\d\d$/, 'A day such as 2026-11-23'),
});
type Values = yup.InferType<typeof formSchema>;

const today = (): string => new Date().toLocaleDateString('sv-SE');

/** Why something need not be come through, and who says so. */
export function ExcuseForm({
  excuse,
  isSuspect,
  what,
  give,
  again,
}: {
  readonly excuse: Excuse | undefined;
  readonly isSuspect: boolean;
  readonly what: string;
  readonly give: (values: Values) => void;
  readonly again: () => void;
}) {
  const [isOpen, setOpen] = useState(false);
  const { register, handleSubmit, formState, reset } = useForm<Values>({
    resolver: yupResolver(formSchema),
    defaultValues: { kind: 'justified', reason: '', by: '', on: today() },
  });
  if (excuse)
    return (
      <>
        {isSuspect && (
          <Button size="sm" onClick={again}>
            Still so
          </Button>
        )}
        <Button
          size="sm"
          onClick={() =>
            useProject.getState().edit({ kind: 'remove', list: 'excuse', id: excuse.id }, 'Take an excuse back')
          }
        >
          Take it back
        </Button>
      </>
    );
  if (!isOpen)
    return (
      <Button size="sm" onClick={() => setOpen(true)} title={`Say why ${what} need not be come through`}>
        Excuse
      </Button>
    );
  const { errors } = formState;
  return (
    <form
      className="coverage-excuse"
      aria-label={`Excuse of ${what}`}
      onSubmit={(e) =>
        void handleSubmit((values) => {
          give(values);
          setOpen(false);
          reset();
        })(e)
      }
    >
      <select className="form-select form-select-sm" aria-label="Kind" {...register('kind')}>
        <option value="justified">it need not be</option>
        <option value="deactivated">it is not in use</option>
      </select>
      <input
        className="form-control form-control-sm"
        aria-label="Reason"
        placeholder="because …"
        {...register('reason')}
        aria-invalid={errors.reason !== undefined}
      />
      <input
        className="form-control form-control-sm"
        aria-label="Who says so"
        placeholder="who says so"
        autoComplete="name"
        {...register('by')}
        aria-invalid={errors.by !== undefined}
      />
      <input className="form-control form-control-sm" aria-label="On" type="date" {...register('on')} />
      <Button type="submit" variant="primary" size="sm">
        Excuse it
      </Button>
      <Button size="sm" onClick={() => setOpen(false)}>
        Leave it
      </Button>
      {[errors.reason, errors.by, errors.on].map(
        (e) =>
          e && (
            <span key={e.message} className="field-problem">
              {e.message}
            </span>
          ),
      )}
    </form>
  );
}

/** Excuses of what is not there any more: they excuse nothing, and say so until they are taken back. */
export function OrphanExcuses({ of }: { readonly of: readonly Excuse[] }) {
  return of.map((e) => (
    <p key={e.id} className="px-3 mb-1 now-ink">
      An excuse of {e.by} speaks of what is not there any more: {e.reason}{' '}
      <Button
        size="sm"
        onClick={() => useProject.getState().edit({ kind: 'remove', list: 'excuse', id: e.id }, 'Take an excuse back')}
      >
        Take it back
      </Button>
    </p>
  ));
}
