import { electrical } from './electrical';
import { magnetic } from './magnetic';
import { rotational, translational } from './mechanics';
import { planar, spatial } from './multibody';
import { pneumatic } from './pneumatic';
import { shapes } from './shapes';
import { hydraulic, thermal } from './thermal';

/** The library of parts, as texts: they can be used by name in any physics text, and in files of equations. */
export const componentPackages: Readonly<Record<string, string>> = {
  Electrical: electrical,
  Magnetic: magnetic,
  Translational: translational,
  Rotational: rotational,
  Thermal: thermal,
  Hydraulic: hydraulic,
  Pneumatic: pneumatic,
  Planar: planar,
  Spatial: spatial,
  Shapes: shapes,
};
