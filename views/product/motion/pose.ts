import { Euler, Matrix4, Quaternion, Vector3 } from 'three';
import type { RunShape } from '@/core/run/protocol';

/** The value of a field of a shape at the moment that is looked at. */
export type ReadField = (shape: RunShape, field: string) => number;

/** The parts a part is in, from the outermost, itself left out: '' and a and a.b of a.b.c. */
export const ancestors = (part: string): string[] => {
  const names = part.split('.');
  return names.map((_, k) => names.slice(0, k).join('.'));
};

const vector = (shape: RunShape, field: string, read: ReadField): Vector3 =>
  new Vector3(read(shape, `${field}[1]`), read(shape, `${field}[2]`), read(shape, `${field}[3]`));

/** Turned about x, then y, then z, all of them axes of the frame. */
const turned = (angles: Vector3): Quaternion =>
  new Quaternion().setFromEuler(new Euler(angles.x, angles.y, angles.z, 'ZYX'));

const poses = new WeakMap<RunShape, readonly RunShape[]>();

/** Tells every shape the mounts it stands on: those of the parts it is in. */
export function hangUp(shapes: readonly RunShape[]): void {
  const mounts = new Map(
    shapes.filter((s) => s.kind === 'Mount').map((s) => [s.part.split('.').slice(0, -1).join('.'), s]),
  );
  for (const s of shapes)
    poses.set(
      s,
      ancestors(s.part).flatMap((a) => mounts.get(a) ?? []),
    );
}

/** Where a shape stands in the world, and how it is turned. */
export function poseOf(shape: RunShape, read: ReadField): Matrix4 {
  const pose = new Matrix4();
  for (const mount of poses.get(shape) ?? [])
    pose.multiply(
      new Matrix4().compose(vector(mount, 'r', read), turned(vector(mount, 'turn', read)), new Vector3(1, 1, 1)),
    );
  const R = (i: number, j: number): number => read(shape, `R[${i},${j}]`);
  // R turns vectors of the world into those of the frame: the way back is its transpose
  const frame = new Matrix4().set(
    R(1, 1),
    R(2, 1),
    R(3, 1),
    0,
    R(1, 2),
    R(2, 2),
    R(3, 2),
    0,
    R(1, 3),
    R(2, 3),
    R(3, 3),
    0,
    0,
    0,
    0,
    1,
  );
  const own = frame.multiply(
    new Matrix4().compose(vector(shape, 'at', read), turned(vector(shape, 'turn', read)), new Vector3(1, 1, 1)),
  );
  const at = vector(shape, 'r', read);
  return pose.multiply(new Matrix4().makeTranslation(at)).multiply(own);
}

/** The middle of a shape in the world. */
export const middleOf = (shape: RunShape, read: ReadField): Vector3 =>
  new Vector3().setFromMatrixPosition(poseOf(shape, read));
