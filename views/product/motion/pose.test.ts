import { Vector3 } from 'three';
import type { RunShape } from '@/core/run/protocol';
import { ancestors, hangUp, middleOf, poseOf } from './pose';

const still = {
  'r[1]': 0,
  'r[2]': 0,
  'r[3]': 0,
  'at[1]': 0,
  'at[2]': 0,
  'at[3]': 0,
  'turn[1]': 0,
  'turn[2]': 0,
  'turn[3]': 0,
  'R[1,1]': 1,
  'R[1,2]': 0,
  'R[1,3]': 0,
  'R[2,1]': 0,
  'R[2,2]': 1,
  'R[2,3]': 0,
  'R[3,1]': 0,
  'R[3,2]': 0,
  'R[3,3]': 1,
};
const shape = (part: string, values: Readonly<Record<string, number>>, kind = 'Box'): RunShape => ({
  part,
  kind,
  values: { ...still, ...values },
});
const read = (s: RunShape, field: string): number => s.values[field];
const at = (s: RunShape, x: number, y: number, z: number): number[] =>
  new Vector3(x, y, z)
    .applyMatrix4(poseOf(s, read))
    .toArray()
    .map((v) => Math.round(v * 1e9) / 1e9 + 0);

test('the parts a part is in', () => {
  expect(ancestors('a.b.c')).toEqual(['', 'a', 'a.b']);
  expect(ancestors('a')).toEqual(['']);
});

test('a shape is turned about x, then y, then z of its frame, and put to its place', () => {
  // x goes to y by a quarter turn about z
  expect(at(shape('s', { 'turn[3]': Math.PI / 2, 'r[1]': 5 }), 1, 0, 0)).toEqual([5, 1, 0]);
  // a cylinder that stands up still spins about its own axis: first about x, then up
  expect(at(shape('s', { 'turn[1]': Math.PI / 2, 'turn[3]': Math.PI / 2 }), 0, 1, 0)).toEqual([0, 0, 1]);
  expect(at(shape('s', { 'turn[1]': Math.PI / 2, 'turn[3]': Math.PI / 2 }), 1, 0, 0)).toEqual([0, 1, 0]);
});

test('R turns vectors of the world into the frame: what is along x of the frame lies along its first row', () => {
  const s = shape('s', { 'R[1,1]': 0, 'R[1,2]': 1, 'R[2,1]': -1, 'R[2,2]': 0, 'at[1]': 2, 'r[3]': 1 });
  expect(
    middleOf(s, read)
      .toArray()
      .map((v) => v + 0),
  ).toEqual([0, 2, 1]);
});

test('mounts move the shapes of their part and of the parts inside, and no others', () => {
  const shapes = [
    shape('a.mount', { 'r[2]': 1, 'turn[3]': Math.PI / 2 }, 'Mount'),
    shape('a.s', { 'r[1]': 3 }),
    shape('a.b.s', {}),
    shape('a.b.mount', { 'r[1]': 1 }, 'Mount'),
    shape('other.s', {}),
  ];
  hangUp(shapes);
  expect(at(shapes[1], 0, 0, 0)).toEqual([0, 4, 0]);
  expect(at(shapes[2], 0, 0, 0)).toEqual([0, 2, 0]);
  expect(at(shapes[4], 0, 0, 0)).toEqual([0, 0, 0]);
});
