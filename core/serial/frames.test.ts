import fc from 'fast-check';
import { checkOf, createFrameReader, frameOf, lengthOnLine } from './frames';

const said = fc.array(fc.integer({ min: 0, max: 255 }), { minLength: 0, maxLength: 200 });

test('the check is the published one', () => {
  // of "123456789"
  expect(checkOf([...'123456789'].map((c) => c.charCodeAt(0)))).toBe(0x29b1);
  expect(checkOf([])).toBe(0xffff);
});
test.each([
  [[0], [1, 3, 0xe1, 0xf0, 0]],
  [
    [1, 2],
    [5, 1, 2, 0x0e, 0x7c, 0],
  ],
])('bytes %j on the line', (plain, line) => {
  expect(frameOf(plain)).toEqual(line);
});
test('what is said arrives, whatever it is, with 0 at the end alone', () => {
  fc.assert(
    fc.property(said, (plain) => {
      const line = frameOf(plain);
      expect(line.length).toBe(lengthOnLine(plain.length));
      expect(line.indexOf(0)).toBe(line.length - 1);
      const reader = createFrameReader();
      const got = line.map((b) => reader.take(b));
      expect(got.slice(0, -1).every((g) => g === undefined)).toBe(true);
      expect(got.at(-1)).toEqual({ said: plain });
    }),
  );
});
test('a reader that begins in the middle, or hears nothing but noise, finds the next frame', () => {
  fc.assert(
    fc.property(said, fc.array(fc.integer({ min: 0, max: 255 }), { maxLength: 600 }), (plain, noise) => {
      const reader = createFrameReader();
      for (const b of [...noise, 0]) reader.take(b);
      expect(
        frameOf(plain)
          .map((b) => reader.take(b))
          .at(-1),
      ).toEqual({ said: plain });
    }),
  );
});
test('damaged frames: nearly all are found out, and the next one is whole again', () => {
  let state = 7;
  const random = (): number => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
  const reader = createFrameReader();
  let [broken, wrong, whole] = [0, 0, 0];
  for (let n = 0; n < 20_000; n++) {
    const plain = Array.from({ length: 26 }, () => Math.floor(256 * random()));
    const hit = n % 2 === 0;
    const line = [...frameOf(plain)];
    if (hit) line[Math.floor(random() * line.length)] ^= 1 << Math.floor(8 * random());
    for (const b of line) {
      const got = reader.take(b);
      if (!got) continue;
      if ('fault' in got) broken++;
      else if (got.said.length === plain.length && got.said.every((x, k) => x === plain[k])) whole++;
      else wrong++;
    }
  }
  // a 0 that is hit joins a frame to the next one, and both are gone
  expect(whole).toBeGreaterThan(9500);
  expect(broken).toBeGreaterThan(9500);
  expect(wrong).toBeLessThanOrEqual(1);
});
