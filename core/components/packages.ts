import { electrical } from './electrical';
import { rotational, translational } from './mechanics';
import { planar, spatial } from './multibody';
import { shapes } from './shapes';
import { hydraulic, thermal } from './thermal';

/** The library of parts, as texts: they can be used by name in any physics text, and in files of equations. */
export const componentPackages: Readonly<Record<string, string>> = { Electrical: electrical, Translational: translational, Rotational: rotational, Thermal: thermal, Hydraulic: hydraulic, Planar: planar, Spatial: spatial, Shapes: shapes };
