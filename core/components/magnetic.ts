/** Magnetic circuits of concentrated elements: potentials in ampere, fluxes in weber. */
export const magnetic = `
package Magnetic "Magnetic circuits: potentials and fluxes"
  import SI = Modelica.Units.SI;
  constant Real mu0(unit = "H/m") = 1.25663706212e-6 "permeability of the vacuum";
  connector Port "A place where flux enters a part" Real Vm(unit = "A") "magnetic potential"; flow SI.MagneticFlux Phi "flux into the part"; end Port;
  partial model TwoPort "A part between two ports: Vm = p.Vm - n.Vm, Phi from p to n"
    Port p, n; Real Vm(unit = "A") "potential from p to n"; SI.MagneticFlux Phi "flux from p to n";
  equation Vm = p.Vm - n.Vm; Phi = p.Phi; p.Phi + n.Phi = 0;
  end TwoPort;
  model Ground "Potential zero" Port p; equation p.Vm = 0; end Ground;
  model Reluctance "Vm = R Phi" extends TwoPort; parameter Real R(unit = "A/Wb") = 1e6 "reluctance"; equation Vm = R*Phi; end Reluctance;
  model Core "A piece of core: Vm = Phi l/(mu0 mur A)" extends TwoPort; parameter SI.Length l = 0.1 "length of the path"; parameter SI.Area A = 1e-4 "cross-section"; parameter Real mur = 1000 "relative permeability"; SI.MagneticFluxDensity B "flux density";
  equation Vm*mu0*mur*A = Phi*l; B*A = Phi; end Core;
  model SaturatingCore "B = Bs tanh(mu0 mur H/Bs) + mu0 H, with H = Vm/l" extends TwoPort; parameter SI.Length l = 0.1 "length of the path"; parameter SI.Area A = 1e-4 "cross-section"; parameter Real mur = 1000 "relative permeability at the start of the curve"; parameter SI.MagneticFluxDensity Bs = 1.6 "saturation"; SI.MagneticFluxDensity B "flux density"; SI.MagneticFieldStrength H(start = 0) "field";
  equation H*l = Vm; B*A = Phi; B = Bs*tanh(mu0*mur*H/Bs) + mu0*H; end SaturatingCore;
  model AirGap "Vm = Phi s/(mu0 A); pulls its faces together with Phi^2/(2 mu0 A)" extends TwoPort; Translational.Flange a, b; parameter SI.Area A = 1e-4 "area of the faces"; SI.Length s "distance of the faces"; SI.Force pull "force between the faces";
  equation s = b.s - a.s; Vm*mu0*A = Phi*s; pull = Phi^2/(2*mu0*A); a.f = -pull; b.f = pull; end AirGap;
  model Source "Vm given, as of a permanent magnet: Hc times its length" extends TwoPort; parameter Real V(unit = "A") = 100 "magnetic potential"; equation Vm = V; end Source;
  model Coil "Vm = N i, v = -N dPhi/dt" extends TwoPort; Electrical.Pin a, b; parameter Real N = 100 "turns"; SI.Voltage v "voltage from a to b"; SI.Current i "current from a to b";
  equation v = a.v - b.v; i = a.i; a.i + b.i = 0; Vm = N*i; v = -N*der(Phi); end Coil;
  model FluxSensor "Measures a flux, holds no potential" Port p, n; output SI.MagneticFlux Phi; equation p.Vm = n.Vm; p.Phi + n.Phi = 0; Phi = p.Phi; end FluxSensor;
  model PotentialSensor "Measures a potential, carries no flux" Port p, n; output Real Vm(unit = "A"); equation p.Phi = 0; n.Phi = 0; Vm = p.Vm - n.Vm; end PotentialSensor;
end Magnetic;
`;
