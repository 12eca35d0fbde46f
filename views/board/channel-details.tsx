'use client';
import type { Problem } from '@/core/language/diagnostics';
import { directionOf, isTwofold, otherNameOn, pinOf, quantityOf, takenBy } from '@/core/pins/channels';
import type { Pin, PinBoard } from '@/core/pins/pin-boards';
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
  ['encoder', 'an encoder: two lines whose edges are counted'],
] as const;

/** Another way to go through, without what only lines have where it is none. */
const throughKind = (kind: Channel['kind']): Partial<Channel> => ({
  kind,
  ...(kind !== 'digital' && { inverted: false, debounce: 1, pull: 'none' as const }),
  ...(kind !== 'analog' && { early: 0 }),
  ...(kind !== 'pwm' && { pair: false, blanking: 0, smoothing: 0, ripple: false }),
});

type NumberOfChannel = keyof {
  readonly [K in keyof Channel as Channel[K] extends number ? K : never]: true;
};

/** The numbers of a channel. */
export function ChannelDetails({
  type,
  channel: c,
  board,
  problems,
  onOtherPin,
}: {
  readonly board: PinBoard;
  readonly onOtherPin: (pin: string) => void;
  readonly type: PartType;
  readonly channel: Channel;
  readonly problems: readonly Problem[];
}) {
  const list = `type/${type.id}/channel`;
  const set = (changes: Partial<Channel>, what = `Change ${c.name}`): Problem | undefined =>
    useProject.getState().edit({ kind: 'update', list, id: c.id, changes }, what);
  // these are told at their fields
  const atFields = ['blanking', 'smoothing', 'counts', 'early'].map((key) => `${list}/${c.id}/${key}`);
  const all = problemsAt(problems, `${list}/${c.id}`).filter((p) => !atFields.includes(p.place ?? ''));
  const unit = quantityOf(type, c)?.unit ?? '';
  const way = directionOf(type, c);
  /** `times`: by how much it is more in the unit it is shown in. */
  const number = (key: NumberOfChannel, times = 1) => ({
    value: times === 1 ? c[key] : Number((c[key] * times).toPrecision(12)),
    whole: key === 'bits' || key === 'average' || key === 'debounce' || key === 'counts',
    onNumber: (value: number) => set({ [key]: times === 1 ? value : Number((value / times).toPrecision(12)) }),
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
    const usual = !q || q.type === 'Boolean' ? 'digital' : q.role === 'input' ? 'analog' : 'pwm';
    const kind = usual === 'analog' && c.kind === 'encoder' ? c.kind : usual;
    set(
      { quantity, ...throughKind(kind), ...(quantity !== '' && { rises: '', falls: '' }) },
      `${c.name} carries ${quantity}`,
    );
  };
  const isVoltage = c.kind === 'analog' || c.kind === 'pwm';
  /** Pins that are free, of a pair those of the other output of its timer. */
  const otherPins = (): readonly (readonly [string, string])[] => {
    const now = otherNameOn(c, board);
    const first = pinOf(c, board)?.pulses;
    const isOther = (p: Pin): boolean =>
      c.kind === 'encoder' ||
      (p.pulses !== undefined && p.pulses.timer === first?.timer && p.pulses.output !== first.output);
    const free = board.pins
      .filter((p) => isOther(p) && (p.name === now || !type.channels.some((x) => takenBy(x, board).includes(p))))
      .map((p) => p.name);
    const names = [...(now !== '' && !free.includes(now) ? [now] : []), ...free];
    return [['', 'none'], ...names.map((name) => [name, name] as const)];
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
      {c.kind === 'encoder' && (
        <NumberRow name="are" label={`Counts of ${c.name}`} after="counts (4 per line)" {...number('counts')} />
      )}
      {isVoltage && <NumberRow name="at" label={`Volts of the least of ${c.name}`} after="V" {...number('lowVolts')} />}
      {(isVoltage || (c.kind === 'digital' && way === 'in')) && (
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
          <NumberRow
            name="Measured"
            label={`How long before its step ${c.name} is measured`}
            after="µs before its step"
            {...number('early', 1e6)}
          />
        </>
      )}
      {c.kind === 'pwm' && (
        <>
          <NumberRow name="Frequency" label={`Frequency of ${c.name}`} after="Hz" {...number('frequency')} />
          <FieldRow label="Carrier">
            <CellSelect
              value={c.carrier}
              label={`Carrier of ${c.name}`}
              options={[
                ['ramp', 'a ramp: pulses begin with it'],
                ['triangle', 'a triangle: pulses in its middle'],
              ]}
              onCommit={(carrier) => set({ carrier: carrier as Channel['carrier'] })}
            />
          </FieldRow>
          <FieldRow label="Outputs">
            <CellSelect
              value={c.pair ? 'pair' : 'one'}
              label={`Outputs of ${c.name}`}
              options={[
                ['one', 'one'],
                ['pair', 'a pair: one on while the other is off'],
              ]}
              onCommit={(outputs) =>
                set(outputs === 'pair' ? { pair: true, carrier: 'triangle' } : { pair: false, blanking: 0 })
              }
            />
          </FieldRow>
          {c.pair && (
            <NumberRow
              name="Both off"
              label={`Blanking of ${c.name}`}
              after="µs in between"
              {...number('blanking', 1e6)}
            />
          )}
          <NumberRow
            name="Smoothed"
            label={`Time constant behind ${c.name}`}
            after="ms (0: by nothing)"
            {...number('smoothing', 1e3)}
          />
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
      {isTwofold(c) && (
        <FieldRow label="Other pin">
          <CellSelect
            value={otherNameOn(c, board)}
            label={`Other pin of ${c.name} on ${board.name}`}
            options={otherPins()}
            onCommit={onOtherPin}
          />
        </FieldRow>
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
