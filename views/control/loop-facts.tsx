'use client';
import type { LoopPicture } from '@/core/linear/loop-picture';
import type { Mode } from '@/core/linear/modes';
import { formatNumber } from '@/ui/format';
import { degrees, hertz, seconds } from './loop-curves';

/** Numbers of a loop, with what there is no end to said so. */
export function LoopFacts({ picture: p, isOpen }: { readonly picture: LoopPicture; readonly isOpen: boolean }) {
  const rows: readonly (readonly [string, string])[] = [
    [
      'Phase margin',
      p.phaseMargin === null
        ? 'none: its gain never is 1'
        : `${formatNumber(degrees(p.phaseMargin), 4)} deg at ${formatNumber(hertz(p.phaseMarginAt ?? NaN), 3)} Hz`,
    ],
    [
      'Gain margin',
      p.gainMargin === null
        ? 'none: it has no end'
        : `${formatNumber(p.gainMargin, 4)} (${formatNumber(20 * Math.log10(p.gainMargin), 3)} dB) at ${formatNumber(hertz(p.gainMarginAt ?? NaN), 3)} Hz`,
    ],
    ['Delay margin', p.delayMargin === null ? 'none: it has no end' : seconds(p.delayMargin)],
    ['Bandwidth', p.bandwidth === null ? 'none' : `${formatNumber(hertz(p.bandwidth), 4)} Hz`],
    ['Gain at rest', p.dcGain === null ? 'grows without end' : formatNumber(p.dcGain, 4)],
    [
      'What is disturbed',
      p.isStable === null ? 'is at the edge, or not decided' : p.isStable ? 'dies away' : 'does not die away',
    ],
    ['Looked at', p.isAtRest ? `at rest, from ${formatNumber(p.time, 4)} s on` : `at ${formatNumber(p.time, 4)} s`],
    ['States', p.states.length === 0 ? 'none' : `${p.states.length}: ${p.states.join(', ')}`],
    ['Computed', p.every === null ? 'continuously' : `every ${seconds(p.every)}, from tick to tick`],
  ];
  return (
    <>
      <dl className="small-facts loop-facts" data-testid="loop-facts">
        {rows.map(([what, value]) => (
          <div key={what} className="d-contents">
            <dt>{what}</dt>
            <dd className="num" title={value}>
              {value}
            </dd>
          </div>
        ))}
      </dl>
      {!isOpen && <p className="quiet m-0">Margins take the way from input to output as a loop gain.</p>}
      {!p.reaches && (
        <p className="quiet m-0">
          Nothing passes at this moment: something on the way is at its limit, or there is no way. Move the cursor to
          another one.
        </p>
      )}
    </>
  );
}

const share = (x: number): string => (x === 0 ? 'not at all' : x < 0.001 ? '< 0.1 %' : `${formatNumber(100 * x, 2)} %`);

/** How each motion of the model goes by itself, and whether it can be reached and seen. */
export function LoopModes({ picture: p, isOpen }: { readonly picture: LoopPicture; readonly isOpen: boolean }) {
  if (p.modes.length === 0) return null;
  const lost = p.modes.filter((m) => m.reached < 0.01 || m.seen < 0.01);
  return (
    <section data-testid="loop-modes">
      <h3 className="plot-title">{isOpen ? 'Motions of the closed loop' : 'Motions by themselves'}</h3>
      <div className="modes">
        <table className="table">
          <thead>
            <tr>
              <th>moves</th>
              <th className="num">time constant</th>
              <th className="num">Hz, damping</th>
              <th className="num" title="How much of the input goes into this motion, in states of like size">
                reached
              </th>
              <th className="num" title="How much of this motion the output shows">
                seen
              </th>
            </tr>
          </thead>
          <tbody>
            {p.modes.map((m, k) => (
              <ModeRow key={k} mode={m} />
            ))}
          </tbody>
        </table>
      </div>
      {lost.length > 0 && (
        <p className="quiet small">
          {lost
            .slice(0, 3)
            .map(
              (m) =>
                `${m.states.join(', ')} ${[
                  ...(m.reached < 0.01 ? [m.reached === 0 ? 'cannot be reached' : 'can hardly be reached'] : []),
                  ...(m.seen < 0.01 ? [m.seen === 0 ? 'is not seen' : 'is hardly seen'] : []),
                ].join(' and ')}`,
            )
            .join('; ')}
          {isOpen ? ' from where the loop was opened.' : ' on this way.'}
        </p>
      )}
    </section>
  );
}

function ModeRow({ mode: m }: { readonly mode: Mode }) {
  const swings = Math.abs(m.damping) < 1 - 1e-9 && m.frequency > 0;
  const moves = `${m.states.join(', ')}${m.times > 1 ? ` (${m.times} times)` : ''}`;
  return (
    <tr>
      <td className="mono text-truncate" title={moves}>
        {moves}
      </td>
      <td className="num">
        {m.timeConstant === 0
          ? 'one tick'
          : !Number.isFinite(m.timeConstant)
            ? 'stays'
            : m.timeConstant < 0
              ? `grows, ${seconds(-m.timeConstant)}`
              : seconds(m.timeConstant)}
      </td>
      <td className="num">
        {swings ? `${formatNumber(hertz(m.frequency), 3)}, ${formatNumber(m.damping, 2)}` : 'no swing'}
      </td>
      <td className="num">{share(m.reached)}</td>
      <td className="num">{share(m.seen)}</td>
    </tr>
  );
}
