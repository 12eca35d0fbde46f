'use client';
import { yupResolver } from '@hookform/resolvers/yup';
import { PenLine } from 'lucide-react';
import { useState } from 'react';
import { useForm } from 'react-hook-form';
import * as yup from 'yup';
import type { Requirement } from '@/core/project/project';
import { useProject } from '@/store/project-store';
import { Button } from '@/ui/button';

const formSchema = yup.object({
  verdict: yup.mixed<'holds' | 'fails'>().oneOf(['holds', 'fails']).required('Does it hold?'),
  by: yup.string().trim().required('Who saw it?').max(200),
  on: yup
    .string()
    .required('On which day?')
    .matches(/^\d{4}-\d\d-\d\d$/, 'A day such as 2026-11-23'),
  note: yup.string().default('').max(20_000),
});
type FormValues = yup.InferType<typeof formSchema>;

const today = (): string => new Date().toLocaleDateString('sv-SE');

/** What somebody saw and signed, for requirements that no run can decide. */
export function ObservationForm({ requirement: r }: { readonly requirement: Requirement }) {
  const { edit } = useProject.getState();
  const [writing, setWriting] = useState(false);
  const { register, handleSubmit, formState, reset } = useForm<FormValues>({
    resolver: yupResolver(formSchema),
    defaultValues: { verdict: 'holds', by: '', on: today(), note: '' },
  });
  const sign = handleSubmit((values) => {
    edit(
      { kind: 'update', list: 'requirement', id: r.id, changes: { observation: { ...values, text: r.text } } },
      `Sign ${r.key}`,
    );
    setWriting(false);
    reset();
  });
  const { observation } = r;
  if (observation) {
    return (
      <div className="px-3 pb-2" data-testid="observation">
        <p className="mb-1">
          {observation.by} saw on {observation.on} that it <strong>{observation.verdict}</strong>. {observation.note}
        </p>
        {observation.text !== r.text && (
          <p className="field-problem">The text has changed since: it has to be looked at again.</p>
        )}
        <Button
          size="sm"
          onClick={() =>
            edit(
              { kind: 'update', list: 'requirement', id: r.id, changes: { observation: null } },
              `Take back the signature of ${r.key}`,
            )
          }
        >
          Take the signature back
        </Button>{' '}
        {observation.text !== r.text && (
          <Button
            size="sm"
            onClick={() =>
              edit(
                {
                  kind: 'update',
                  list: 'requirement',
                  id: r.id,
                  changes: { observation: { ...observation, on: today(), text: r.text } },
                },
                `Sign ${r.key} again`,
              )
            }
          >
            It still {observation.verdict}
          </Button>
        )}
      </div>
    );
  }
  if (!writing) {
    return (
      <div className="px-3 pb-2">
        <Button size="sm" onClick={() => setWriting(true)}>
          <PenLine size={13} aria-hidden /> Sign what was seen
        </Button>
      </div>
    );
  }
  return (
    <form className="px-3 pb-2 observation-form" onSubmit={(e) => void sign(e)} aria-label={`Observation of ${r.key}`}>
      <label>
        It
        <select className="form-select form-select-sm" {...register('verdict')}>
          <option value="holds">holds</option>
          <option value="fails">fails</option>
        </select>
      </label>
      <label>
        Seen by
        <input
          className="form-control form-control-sm"
          {...register('by')}
          aria-invalid={formState.errors.by !== undefined}
          autoComplete="name"
        />
      </label>
      {formState.errors.by && <div className="field-problem">{formState.errors.by.message}</div>}
      <label>
        On
        <input className="form-control form-control-sm" type="date" {...register('on')} />
      </label>
      {formState.errors.on && <div className="field-problem">{formState.errors.on.message}</div>}
      <label>
        How
        <textarea className="form-control form-control-sm" rows={2} {...register('note')} />
      </label>
      <div className="d-flex gap-2">
        <Button type="submit" variant="primary" size="sm">
          Sign
        </Button>
        <Button size="sm" onClick={() => setWriting(false)}>
          Leave it
        </Button>
      </div>
    </form>
  );
}
