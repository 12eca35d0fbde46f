import { noCounts, type Derivatives, type Stepper } from './stepper';

/**
 * The classical Runge-Kutta method (Kutta 1901) with fixed steps on the grid k * size; between grid points a cubic Hermite
 * polynomial. Steps are cut at events and resume on the grid.
 */
export function rk4(n: number, f: Derivatives, size: number): Stepper {
  const array = (): Float64Array => new Float64Array(n);
  const [k1, k2, k3, k4, y, yOld, stage, fOld, fNew] = Array.from({ length: 9 }, array);
  const counts = noCounts();
  let t = 0, previous = 0, valid = false;
  return {
    get t() { return t; },
    get previous() { return previous; },
    stiff: false,
    y, counts, limits: new Float64Array(n),
    reset(time, state) {
      t = previous = time;
      y.set(state);
      valid = false;
    },
    adjust(state) {
      y.set(state);
      valid = false;
    },
    step(limit) {
      let next = (Math.floor(t / size + 1e-9) + 1) * size;
      if (next >= limit - 1e-12 * Math.max(1, Math.abs(limit))) next = limit;
      const h = next - t;
      if (!valid) f(t, y, k1);
      else k1.set(fNew);
      for (let i = 0; i < n; i++) stage[i] = y[i] + (h / 2) * k1[i];
      f(t + h / 2, stage, k2);
      for (let i = 0; i < n; i++) stage[i] = y[i] + (h / 2) * k2[i];
      f(t + h / 2, stage, k3);
      for (let i = 0; i < n; i++) stage[i] = y[i] + h * k3[i];
      f(next, stage, k4);
      yOld.set(y);
      fOld.set(k1);
      let finite = true;
      for (let i = 0; i < n; i++) {
        y[i] += (h / 6) * (k1[i] + 2 * k2[i] + 2 * k3[i] + k4[i]);
        finite &&= Number.isFinite(y[i]);
      }
      if (!finite) {
        y.set(yOld);
        return false;
      }
      f(next, y, fNew);
      counts.evaluations += valid ? 4 : 5;
      valid = true;
      previous = t;
      t = next;
      counts.steps++;
      return true;
    },
    interpolate(time, out) {
      const h = t - previous;
      const s = h === 0 ? 1 : (time - previous) / h;
      const s1 = 1 - s;
      for (let i = 0; i < n; i++) {
        const difference = y[i] - yOld[i];
        out[i] = s1 * yOld[i] + s * y[i] - s * s1 * ((1 - 2 * s) * difference - s1 * h * fOld[i] + s * h * fNew[i]);
      }
    },
    save: () => [],
    load: () => undefined,
  };
}
