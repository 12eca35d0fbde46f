'use client';
import type { Problem } from '@/core/language/diagnostics';
import { directionOf, quantityOf } from '@/core/pins/channels';
import type { Channel, PartType } from '@/core/project/project';
import { problemsAt } from '@/store/derived';
import { useProject } from '@/store/project-store';
import { CellSelect } from '@/ui/cell-field';
import { FieldRow } from '@/ui/field-row';
import { NumberRow } from '@/ui/number-row';

const kinds = [
  ['analog', 'a voltage that is measured'],
  ['pwm', 'pulses'],
  ['digital', 'a line that is on or off'],
] as const;

/** Another way to go through, without what only lines have where it is none. */
const throughKind = (kind: Channel['kind']): Partial<Channel> => ({
  kind,
  ...(kind !== 'digital' && { inverted: false, debounce: 1, pull: 'none' as const }),
});

/** The numbers of a channel. */
export function ChannelDetails({
  type,
  channel: c,
  problems,
}: {
  readonly type: PartType;
  readonly channel: Channel;
  readonly problems: readonly Problem[];
}) {
  const list = `type/${type.id}/channel`;
  const set = (changes: Partial<Channel>, what = `Change ${c.name}`): Problem | undefined =>
    useProject.getState().edit({ kind: 'update', list, id: c.id, changes }, what);
  const all = problemsAt(problems, `${list}/${c.id}`);
  const unit = quantityOf(type, c)?.unit ?? '';
  const way = directionOf(type, c);
  const number = (key: 'low' | 'high' | 'lowVolts' | 'highVolts' | 'bits' | 'average' | 'frequency' | 'debounce') => ({
    value: c[key],
    whole: key === 'bits' || key === 'average' || key === 'debounce',
    onNumber: (value: number) => set({ [key]: value }),
    problem: problemsAt(problems, `${list}/${c.id}/${key}`)[0]?.message,
  });
  const quantities = type.quantities.filter((q) => q.role === 'input' || q.role === 'output').map((q) => q.name);
  const messages = [...new Set(type.ports.flatMap((p) => [...p.accepts, ...p.sends]))].filter((m) => m !== '*');
  const choices = (names: readonly string[], now: string): (readonly [string, string])[] => [
    ['', 'nothing'],
    ...(now !== '' && !names.includes(now) ? [[now, now] as const] : []),
    ...names.map((n) => [n, n] as const),
  ];
  const carry = (quantity: string): void => {
    const q = type.quantities.find((x) => x.name === quantity);
    const kind = !q || q.type === 'Boolean' ? 'digital' : q.role === 'input' ? 'analog' : 'pwm';
    set(
      { quantity, ...throughKind(kind), ...(quantity !== '' && { rises: '', falls: '' }) },
      `${c.name} carries ${quantity}`,
    );
  };
  return (
    <div className="channel-details" data-testid="channel-details">
      <h3 className="section-title">{c.name}</h3>
      <FieldRow label="Quantity">
        <CellSelect
          value={c.quantity}
          label={`Quantity of ${c.name}`}
          options={choices(quantities, c.quantity)}
          onCommit={carry}
        />
      </FieldRow>
      {c.quantity === '' &&
        (['rises', 'falls'] as const).map((edge) => (
          <FieldRow key={edge} label={edge === 'rises' ? 'A rise is' : 'A fall is'}>
            <CellSelect
              value={c[edge]}
              label={`What a ${edge === 'rises' ? 'rise' : 'fall'} of ${c.name} is`}
              options={choices(messages, c[edge])}
              onCommit={(message) => set({ [edge]: message })}
            />
          </FieldRow>
        ))}
      <FieldRow label="Through">
        <CellSelect
          value={c.kind}
          label={`What ${c.name} goes through`}
          options={kinds}
          onCommit={(kind) => set(throughKind(kind as Channel['kind']))}
        />
      </FieldRow>
      {c.kind !== 'digital' && (
        <>
          <NumberRow name="From" label={`Least of ${c.name}`} after={unit} {...number('low')} />
          <NumberRow name="to" label={`Most of ${c.name}`} after={unit} {...number('high')} />
        </>
      )}
      {c.kind !== 'digital' && (
        <NumberRow name="at" label={`Volts of the least of ${c.name}`} after="V" {...number('lowVolts')} />
      )}
      {(c.kind !== 'digital' || way === 'in') && (
        <NumberRow
          name={c.kind === 'digital' ? 'On at' : 'and'}
          label={`Volts of the most of ${c.name}`}
          after={c.highVolts > 0 ? 'V' : 'V (0: its supply)'}
          {...number('highVolts')}
        />
      )}
      {c.kind === 'analog' && (
        <>
          <NumberRow name="Measured with" label={`Bits of ${c.name}`} after="bits" {...number('bits')} />
          <NumberRow
            name="Mean of"
            label={`How often ${c.name} is measured`}
            after="measurements"
            {...number('average')}
          />
        </>
      )}
      {c.kind === 'pwm' && (
        <>
          <NumberRow name="Frequency" label={`Frequency of ${c.name}`} after="Hz" {...number('frequency')} />
          <FieldRow label="Outside sees">
            <CellSelect
              value={c.ripple ? 'pulses' : 'mean'}
              label={`What is seen of ${c.name}`}
              options={[
                ['mean', 'their mean'],
                ['pulses', 'every pulse: slower runs'],
              ]}
              onCommit={(what) => set({ ripple: what === 'pulses' })}
            />
          </FieldRow>
        </>
      )}
      {c.kind === 'digital' && (
        <>
          <FieldRow label="On when">
            <CellSelect
              value={c.inverted ? 'low' : 'high'}
              label={`When ${c.name} is on`}
              options={[
                ['high', 'high'],
                ['low', 'low'],
              ]}
              onCommit={(when) => set({ inverted: when === 'low' })}
            />
          </FieldRow>
          {way !== 'out' && (
            <>
              <FieldRow label="Loose it is">
                <CellSelect
                  value={c.pull}
                  label={`What pulls ${c.name}`}
                  options={[
                    ['none', 'anything'],
                    ['up', 'pulled up'],
                    ['down', 'pulled down'],
                  ]}
                  onCommit={(pull) => set({ pull: pull as Channel['pull'] })}
                />
              </FieldRow>
              <NumberRow
                name="Counts after"
                label={`Steps until ${c.name} counts`}
                after="steps"
                {...number('debounce')}
              />
            </>
          )}
        </>
      )}
      {all.map((p, k) => (
        <p key={k} className="field-problem px-3 mb-1">
          {p.message}
        </p>
      ))}
    </div>
  );
}
