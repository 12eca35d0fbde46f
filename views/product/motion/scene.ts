import * as THREE from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import type { RunShape } from '@/core/run/protocol';
import { poseOf, type ReadField } from './pose';

/** Draws shapes in space and turns them as their quantities say. Draws only when something has changed. */

export interface MotionScene {
  /** Other shapes, or the same ones with other starting values. */
  setShapes(shapes: readonly RunShape[]): void;
  /** Moves everything to where the fields say it is. */
  place(read: ReadField): void;
  select(part: string): void;
  /** Lines along which parts have come, as places in the world. */
  setTrails(trails: readonly (readonly THREE.Vector3[])[]): void;
  showFrames(shown: boolean): void;
  look(from: View): void;
  fit(): void;
  /** Name of the shape at a point of the drawing. */
  partAt(x: number, y: number): string | undefined;
  dispose(): void;
}
export type View = 'front' | 'side' | 'top' | 'corner';

const directions: Readonly<Record<View, readonly [number, number, number]>> = {
  front: [0, 0, 1],
  side: [1, 0, 0.0001],
  top: [0.0001, 1, 0.0001],
  corner: [0.8, 0.55, 1],
};

interface Body {
  readonly shape: RunShape;
  readonly object:
    | THREE.Mesh<THREE.BufferGeometry, THREE.MeshStandardMaterial>
    | THREE.Line<THREE.BufferGeometry, THREE.LineBasicMaterial>;
  readonly frame: THREE.AxesHelper;
  /** What its geometry was made for, where scaling it does not do. */
  made: string;
}

export function createMotionScene(host: HTMLElement): MotionScene {
  const renderer = new THREE.WebGLRenderer({ antialias: true, alpha: true });
  renderer.setPixelRatio(Math.min(2, window.devicePixelRatio));
  host.append(renderer.domElement);
  const scene = new THREE.Scene();
  const camera = new THREE.PerspectiveCamera(35, 1, 0.001, 1000);
  const controls = new OrbitControls(camera, renderer.domElement);
  const sun = new THREE.DirectionalLight(0xffffff, 2.2);
  scene.add(new THREE.HemisphereLight(0xffffff, 0x8a8578, 1.9), sun);
  const bodies: Body[] = [];
  const floor = new THREE.Group();
  const trails = new THREE.Group();
  scene.add(floor, trails);
  let framesShown = false,
    chosen = '',
    pending = 0;

  const draw = (): void => {
    if (pending === 0)
      pending = requestAnimationFrame(() => {
        pending = 0;
        sun.position.copy(camera.position).add(new THREE.Vector3(0.3, 1, 0.2).multiplyScalar(camera.position.length()));
        renderer.render(scene, camera);
      });
  };
  const ink = (name: string): THREE.Color =>
    new THREE.Color(getComputedStyle(host).getPropertyValue(name).trim() || '#888');
  const resize = new ResizeObserver(() => {
    const { clientWidth: w, clientHeight: h } = host;
    if (w === 0 || h === 0) return;
    renderer.setSize(w, h);
    camera.aspect = w / h;
    camera.updateProjectionMatrix();
    draw();
  });
  resize.observe(host);
  controls.addEventListener('change', draw);

  const bounds = (): THREE.Box3 => {
    const box = new THREE.Box3();
    for (const b of bodies) if (b.object.visible) box.expandByObject(b.object);
    return box.isEmpty() ? new THREE.Box3(new THREE.Vector3(-0.5, -0.5, -0.5), new THREE.Vector3(0.5, 0.5, 0.5)) : box;
  };
  /** How far away the camera stands so that the corners of a box just fit in the picture. */
  const reach = (box: THREE.Box3, centre: THREE.Vector3, direction: THREE.Vector3): number => {
    const right = new THREE.Vector3(0, 1, 0).cross(direction).normalize();
    const up = direction.clone().cross(right);
    const half = Math.tan(THREE.MathUtils.degToRad(camera.fov / 2));
    let far = 1e-4;
    for (let k = 0; k < 8; k++) {
      const corner = new THREE.Vector3(
        k & 1 ? box.max.x : box.min.x,
        k & 2 ? box.max.y : box.min.y,
        k & 4 ? box.max.z : box.min.z,
      ).sub(centre);
      const across = Math.max(Math.abs(corner.dot(right)) / camera.aspect, Math.abs(corner.dot(up)));
      far = Math.max(far, across / half + corner.dot(direction));
    }
    return far * 1.08;
  };
  const aim = (direction: THREE.Vector3): void => {
    const box = bounds();
    const centre = box.getCenter(new THREE.Vector3());
    const distance = reach(box, centre, direction.normalize());
    controls.target.copy(centre);
    camera.position.copy(centre).addScaledVector(direction, distance);
    camera.near = distance / 500;
    camera.far = distance * 50;
    camera.updateProjectionMatrix();
    controls.update();
    drawFloor();
    draw();
  };
  const drawFloor = (): void => {
    floor.clear();
    const box = bounds();
    const size = box.getSize(new THREE.Vector3());
    const across = Math.max(size.x, size.z, size.y) * 2.2;
    // 1, 2 or 5 of a power of ten, about a dozen fields across
    const power = 10 ** Math.floor(Math.log10(across / 12));
    const step = power * ([1, 2, 5, 10].find((f) => f * power >= across / 12) ?? 10);
    const n = Math.ceil(across / step / 2) * 2;
    const grid = new THREE.GridHelper(n * step, n, ink('--hair'), ink('--hair'));
    const centre = box.getCenter(new THREE.Vector3());
    grid.position.set(
      Math.round(centre.x / step) * step,
      box.min.y - size.y * 0.02,
      Math.round(centre.z / step) * step,
    );
    floor.add(grid);
  };

  const tint = (b: Body): void => {
    const isChosen =
      chosen !== '' &&
      (b.shape.part === chosen || b.shape.part.startsWith(`${chosen}.`) || b.shape.part.startsWith(`${chosen}[`));
    if (b.object instanceof THREE.Mesh) {
      b.object.material.emissive = isChosen ? ink('--accent') : new THREE.Color(0);
      b.object.material.emissiveIntensity = isChosen ? 0.5 : 0;
    }
  };

  return {
    setShapes(shapes) {
      for (const b of bodies) {
        scene.remove(b.object, b.frame);
        b.object.geometry.dispose();
      }
      bodies.length = 0;
      for (const shape of shapes) {
        if (shape.kind === 'Mount') continue;
        const object =
          shape.kind === 'Line'
            ? new THREE.Line(new THREE.BufferGeometry(), new THREE.LineBasicMaterial())
            : new THREE.Mesh<THREE.BufferGeometry, THREE.MeshStandardMaterial>(
                new THREE.BufferGeometry(),
                new THREE.MeshStandardMaterial({
                  roughness: 0.75,
                  metalness: 0.05,
                  polygonOffset: true,
                  polygonOffsetFactor: 1,
                  polygonOffsetUnits: 1,
                }),
              );
        object.name = shape.part;
        object.matrixAutoUpdate = false;
        const frame = new THREE.AxesHelper(1);
        frame.matrixAutoUpdate = false;
        frame.visible = framesShown;
        scene.add(object, frame);
        bodies.push({ shape, object, frame, made: '' });
      }
      bodies.forEach(tint);
    },
    place(read) {
      const reach = bounds().getSize(new THREE.Vector3()).length() || 1;
      for (const b of bodies) {
        const { shape } = b;
        const pose = poseOf(shape, read);
        const value = (field: string): number => read(shape, field);
        b.object.visible = value('shown') !== 0;
        shapeUp(b, value);
        const scale = scaleOf(shape.kind, value);
        b.object.matrix.copy(pose).scale(scale);
        b.frame.matrix.copy(pose).scale(new THREE.Vector3(reach / 14, reach / 14, reach / 14));
        b.object.material.color.setRGB(
          value('colour[1]'),
          value('colour[2]'),
          value('colour[3]'),
          THREE.SRGBColorSpace,
        );
        b.object.updateMatrixWorld(true);
      }
      draw();
    },
    select(part) {
      chosen = part;
      bodies.forEach(tint);
      draw();
    },
    setTrails(lines) {
      trails.clear();
      for (const points of lines)
        trails.add(
          new THREE.Line(
            new THREE.BufferGeometry().setFromPoints([...points]),
            new THREE.LineBasicMaterial({ color: ink('--now') }),
          ),
        );
      draw();
    },
    showFrames(shown) {
      framesShown = shown;
      for (const b of bodies) b.frame.visible = shown;
      draw();
    },
    look: (from) => aim(new THREE.Vector3(...directions[from])),
    fit: () => aim(camera.position.clone().sub(controls.target)),
    partAt(x, y) {
      const ray = new THREE.Raycaster();
      ray.params.Line = { threshold: bounds().getSize(new THREE.Vector3()).length() / 150 };
      ray.setFromCamera(new THREE.Vector2((x / host.clientWidth) * 2 - 1, 1 - (y / host.clientHeight) * 2), camera);
      return ray.intersectObjects(
        bodies.filter((b) => b.object.visible).map((b) => b.object),
        false,
      )[0]?.object.name;
    },
    dispose() {
      cancelAnimationFrame(pending);
      resize.disconnect();
      controls.dispose();
      renderer.dispose();
      renderer.domElement.remove();
    },
  };
}

/** Makes the geometry where it is not a scaled one. */
function shapeUp(b: Body, value: (field: string) => number): void {
  const { kind } = b.shape;
  const key =
    kind === 'Cone'
      ? `cone ${(value('tip') / Math.max(value('radius'), 1e-12)).toFixed(4)}`
      : kind === 'Line'
        ? `line ${['r[1]', 'r[2]', 'r[3]', 'to[1]', 'to[2]', 'to[3]'].map(value).join()}`
        : kind;
  if (b.made === key) return;
  b.made = key;
  b.object.geometry.dispose();
  b.object.clear();
  if (kind === 'Line') {
    // its other end is a place, not an offset
    b.object.geometry = new THREE.BufferGeometry().setFromPoints([
      new THREE.Vector3(),
      new THREE.Vector3(value('to[1]') - value('r[1]'), value('to[2]') - value('r[2]'), value('to[3]') - value('r[3]')),
    ]);
    return;
  }
  b.object.geometry = geometryOf(kind, value);
  const edges = new THREE.LineSegments(
    new THREE.EdgesGeometry(b.object.geometry, 30),
    new THREE.LineBasicMaterial({ color: 0x2c3230, transparent: true, opacity: 0.45 }),
  );
  b.object.add(edges);
}

function geometryOf(kind: string, value: (field: string) => number): THREE.BufferGeometry {
  switch (kind) {
    case 'Cylinder':
      return new THREE.CylinderGeometry(1, 1, 1, 40).rotateZ(-Math.PI / 2);
    case 'Cone':
      return new THREE.CylinderGeometry(value('tip') / Math.max(value('radius'), 1e-12), 1, 1, 40).rotateZ(
        -Math.PI / 2,
      );
    case 'Sphere':
      return new THREE.SphereGeometry(1, 36, 20);
    default:
      return new THREE.BoxGeometry(1, 1, 1);
  }
}

function scaleOf(kind: string, value: (field: string) => number): THREE.Vector3 {
  const positive = (x: number): number => Math.max(Math.abs(x), 1e-9);
  if (kind === 'Box')
    return new THREE.Vector3(positive(value('size[1]')), positive(value('size[2]')), positive(value('size[3]')));
  if (kind === 'Cylinder' || kind === 'Cone')
    return new THREE.Vector3(positive(value('length')), positive(value('radius')), positive(value('radius')));
  if (kind === 'Sphere') return new THREE.Vector3(1, 1, 1).multiplyScalar(positive(value('radius')));
  return new THREE.Vector3(1, 1, 1);
}
