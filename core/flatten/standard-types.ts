import { componentPackages } from '../components/packages';
import { parseFile } from '../language/parse';
import type { ClassDefinition } from '../language/ast';

/** Quantity types under their usual path in Modelica texts, with SI units: `Modelica.Units.SI.Voltage`, and the older `Modelica.SIunits.Voltage`. */
const units: readonly (readonly [unit: string, names: string])[] = [
  ['rad', 'Angle'],
  ['m', 'Length Position Distance Height Radius Diameter Thickness Breadth'],
  ['m2', 'Area'],
  ['m3', 'Volume'],
  ['s', 'Time Period'],
  ['Hz', 'Frequency'],
  ['rad/s', 'AngularVelocity AngularFrequency'],
  ['rad/s2', 'AngularAcceleration'],
  ['m/s', 'Velocity'],
  ['m/s2', 'Acceleration'],
  ['kg', 'Mass'],
  ['kg/m3', 'Density'],
  ['kg.m2', 'MomentOfInertia Inertia'],
  ['kg.m/s', 'Momentum'],
  ['N', 'Force'],
  ['N.m', 'Torque MomentOfForce'],
  ['Pa', 'Pressure AbsolutePressure Stress'],
  ['Pa.s', 'DynamicViscosity'],
  ['m2/s', 'KinematicViscosity'],
  ['J', 'Energy Work Heat KineticEnergy PotentialEnergy InternalEnergy Enthalpy'],
  ['W', 'Power HeatFlowRate EnthalpyFlowRate ThermalPower'],
  ['J/K', 'HeatCapacity Entropy'],
  ['J/(kg.K)', 'SpecificHeatCapacity'],
  ['J/kg', 'SpecificEnthalpy SpecificEnergy'],
  ['K', 'Temperature ThermodynamicTemperature TemperatureDifference'],
  ['W/K', 'ThermalConductance'],
  ['K/W', 'ThermalResistance'],
  ['W/(m.K)', 'ThermalConductivity'],
  ['W/(m2.K)', 'CoefficientOfHeatTransfer'],
  ['kg/s', 'MassFlowRate'],
  ['m3/s', 'VolumeFlowRate'],
  ['A', 'Current ElectricCurrent'],
  ['V', 'Voltage ElectricPotential'],
  ['ohm', 'Resistance Impedance Reactance'],
  ['S', 'Conductance'],
  ['F', 'Capacitance'],
  ['H', 'Inductance'],
  ['C', 'ElectricCharge Charge'],
  ['Wb', 'MagneticFlux'],
  ['T', 'MagneticFluxDensity'],
  ['V/m', 'ElectricFieldStrength'],
  ['A/m', 'MagneticFieldStrength'],
  ['N/m', 'TranslationalSpringConstant'],
  ['N.s/m', 'TranslationalDampingConstant'],
  ['N.m/rad', 'RotationalSpringConstant'],
  ['N.m.s/rad', 'RotationalDampingConstant'],
  ['mol', 'AmountOfSubstance'],
  ['1', 'Efficiency DimensionlessRatio PerUnit'],
];

const known = new Map<string, ClassDefinition>();

/** Packages of parts that every text may use. */
export const standardPackages: readonly string[] = [...componentPackages.keys()];

/** A package that is there without being declared: the library of parts, and the types of quantities. */
export function standardPackage(name: string): ClassDefinition | undefined {
  const found = known.get(name);
  if (found) return found;
  let text = componentPackages.get(name);
  if (name === 'Modelica') {
    const types = units
      .flatMap(([unit, names]) =>
        names.split(' ').map((n) => `type ${n} = Real(unit = "${unit === '1' ? '' : unit}");`),
      )
      .join('\n');
    text = `package Modelica package Units package SI ${types} end SI; end Units; package SIunits ${types} end SIunits; end Modelica;`;
  }
  if (text === undefined) return undefined;
  const [definition] = parseFile(text).value;
  known.set(name, definition);
  return definition;
}
