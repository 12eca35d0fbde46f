import { simulateText } from '../testing/simulate-text';

const reportOf = (text: string, options: Parameters<typeof simulateText>[2]) =>
  simulateText(text, /model (\w+)/.exec(text)![1], options).simulation.report();

test('the report names the state whose error sets the steps', () => {
  const report = reportOf(
    'model Two Real slow(start = 1, fixed = true), fast(start = 1, fixed = true), v(start = 0, fixed = true); equation der(slow) = -0.1*slow; der(fast) = v; der(v) = -400*fast; end Two;',
    { stop: 5, solver: 'dopri5' },
  );
  expect(report.limiting.map((x) => x.name)).toEqual(expect.arrayContaining(['fast']));
  expect(report.limiting.map((x) => x.name)).not.toContain('slow');
  // where the time goes is told by the clock, which depends on the machine
  expect(report.advice.filter((a) => !a.startsWith('Most of the time'))).toEqual([]);
});
test('it says what would help: a stiff model with an explicit method, switching without end, jumps in formulas', () => {
  const stiff = 'model Stiff Real x(start = 0, fixed = true); equation der(x) = -1e5*(x - sin(time)); end Stiff;';
  expect(reportOf(stiff, { stop: 0.1, solver: 'dopri5', relative: 1e-4, absolute: 1e-6 }).advice.join()).toMatch(
    /stiff/,
  );
  const auto = reportOf(stiff, { stop: 0.1, solver: 'auto', relative: 1e-4, absolute: 1e-6 });
  expect(auto).toMatchObject({ implicit: true, advice: [] });
  const switching =
    'model Switching Real x(start = 0, fixed = true); Boolean up; equation up = sin(3000*time) > 0; der(x) = if up then 1 else -1; end Switching;';
  expect(reportOf(switching, { stop: 1, solver: 'dopri5' }).advice.join()).toMatch(/end at an event/);
  expect(reportOf(switching, { stop: 1, solver: 'dopri5' }).advice.join()).toMatch(/at sin\(3000 \* time\) > 0/);
  const jumps =
    'model Jumps Real x(start = 0, fixed = true); equation der(x) = noEvent(if mod(time, 0.1) > 0.05 then 1 else -1); end Jumps;';
  expect(reportOf(jumps, { stop: 5, solver: 'dopri5' }).advice.join()).toMatch(/taken again: x changes abruptly/);
});
test('it tells which conditions switched how often, and where the time went', () => {
  const report = reportOf(
    'model Two Real x(start = 0, fixed = true); Boolean a, b; Integer n; equation der(x) = 1; a = sin(20*x) > 0; b = x > 0.7; n = integer(3*x); end Two;',
    { stop: 1, solver: 'auto' },
  );
  // sin(20 x) becomes positive right after the start and has six zeros in (0, 1)
  expect(report.switching[0]).toEqual({ text: 'sin(20 * x) > 0', times: 7 });
  expect(report.switching).toContainEqual({ text: 'x > 0.7', times: 1 });
  expect(report.switching).toContainEqual({ text: 'whole steps of 3 * x', times: 2 });
  const shares = Object.values(report.spent);
  expect(shares.every((x) => x >= 0)).toBe(true);
  expect(shares.reduce((a, b) => a + b)).toBeCloseTo(1, 9);
});
