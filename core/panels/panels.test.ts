import fc from 'fast-check';
import { newControl, type Control } from '../project/project';
import { tubeCapper } from '../../samples/tube-capper';
import { arrange, grid, onGrid, type Arrangement } from './arrange';
import { proposeControl } from './propose';

test('what is dropped gets the control that suits it', () => {
  const kind = (name: string): string => {
    const c = proposeControl(tubeCapper, name, 'n', 0, 0);
    return c ? `${c.kind} ${c.label} -> ${c.target}${c.unit ? ` ${c.unit}` : ''}` : 'nothing';
  };
  expect(kind('guard.open')).toBe('switch Open -> guard.open');
  expect(kind('spindle.speed')).toBe('readout Speed -> spindle.speed rad/s');
  expect(kind('ctrl.creepSpeed')).toBe('field Creep speed -> ctrl.creepSpeed rad/s');
  expect(kind('gripper.closed')).toBe('lamp Closed -> gripper.closed');
  expect(kind('panel.start')).toBe('button Start -> panel.start');
  expect(kind('ctrl.mode.Running')).toBe('lamp Running -> in(ctrl.mode.Running)');
  expect(kind('ctrl.mode')).toBe('readout ctrl -> ctrl.mode');
  expect(kind('CAP-02')).toBe('verdict CAP-02 -> CAP-02');
  expect(kind('nobody.home')).toBe('nothing');
});

test('arranging: edges meet, gaps are equal, sizes are those of the first', () => {
  const box = fc.record({
    x: fc.integer({ min: 0, max: 600 }),
    y: fc.integer({ min: 0, max: 600 }),
    width: fc.integer({ min: 8, max: 200 }),
    height: fc.integer({ min: 8, max: 200 }),
  });
  fc.assert(
    fc.property(fc.array(box, { minLength: 2, maxLength: 8 }), (boxes) => {
      const controls = boxes.map((b, k): Control => ({ ...newControl(`c${k}`, 'readout', '', '', 0, 0), ...b }));
      const after = (how: Arrangement): Control[] => {
        const moves = arrange(controls, how);
        return controls.map((c) => ({ ...c, ...moves.get(c.id) }));
      };
      const one = (values: readonly number[]): boolean => values.every((v) => Math.abs(v - values[0]) <= 1);
      expect(one(after('left').map((c) => c.x))).toBe(true);
      expect(one(after('right').map((c) => c.x + c.width))).toBe(true);
      expect(one(after('bottom').map((c) => c.y + c.height))).toBe(true);
      expect(one(after('centre').map((c) => c.x + c.width / 2))).toBe(true);
      expect(after('size').every((c) => c.width === controls[0].width && c.height === controls[0].height)).toBe(true);
      const spread = after('across');
      const order = [...controls].sort((a, b) => a.x - b.x).map((c) => spread.find((o) => o.id === c.id)!);
      const gaps = order.slice(1).map((c, k) => c.x - order[k].x - order[k].width);
      expect(Math.max(...gaps) - Math.min(...gaps)).toBeLessThanOrEqual(2);
    }),
    { numRuns: 60 },
  );
  expect([onGrid(11), onGrid(13) % grid]).toEqual([8, 0]);
});
