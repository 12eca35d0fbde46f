package Magnetic "Magnetic circuits: potentials and fluxes"
  import SI = Modelica.Units.SI;
  constant Real mu0(unit = "H/m") = 1.25663706212e-6 "permeability of the vacuum";

  connector Port "A place where flux enters a part"
    Real Vm(unit = "A") "magnetic potential";
    flow SI.MagneticFlux Phi "flux into the part";
  end Port;

  partial model TwoPorts "A part between two ports: Vm = p.Vm - n.Vm, Phi from p to n"
    Port p, n;
    Real Vm(unit = "A") "potential from p to n";
    SI.MagneticFlux Phi "flux from p to n";
  equation
    Vm = p.Vm - n.Vm;
    Phi = p.Phi;
    p.Phi + n.Phi = 0;
  end TwoPorts;

  model Ground "Potential zero"
    Port p;
  equation
    p.Vm = 0;
    annotation(Documentation(info = "p.Vm = 0. Each magnetic circuit needs one."));
  end Ground;

  model Reluctance "Vm = R Phi"
    extends TwoPorts;
    parameter Real R(unit = "A/Wb") = 1e6 "reluctance";
  equation
    Vm = R*Phi;
    annotation(Documentation(info = "Vm = R Phi (Hopkinson 1886)."));
  end Reluctance;

  model Core "A piece of core: Vm = Phi l/(mu0 mur A)"
    extends TwoPorts;
    parameter SI.Length l = 0.1 "length of the path";
    parameter SI.Area A = 1e-4 "cross-section";
    parameter Real mur = 1000 "relative permeability";
    SI.MagneticFluxDensity B "flux density";
  equation
    Vm*mu0*mur*A = Phi*l;
    B*A = Phi;
    annotation(Documentation(info = "Vm = l/(mu0 mur A) Phi, B = Phi/A (Hopkinson 1886)."));
  end Core;

  model SaturatingCore "B = Bs tanh(mu0 mur H/Bs) + mu0 H, with H = Vm/l"
    extends TwoPorts;
    parameter SI.Length l = 0.1 "length of the path";
    parameter SI.Area A = 1e-4 "cross-section";
    parameter Real mur = 1000 "relative permeability at the start of the curve";
    parameter SI.MagneticFluxDensity Bs = 1.6 "saturation";
    SI.MagneticFluxDensity B "flux density";
    SI.MagneticFieldStrength H(start = 0) "field";
  equation
    H*l = Vm;
    B*A = Phi;
    B = Bs*tanh(mu0*mur*H/Bs) + mu0*H;
    annotation(Documentation(info =
      "H = Vm/l, B = Phi/A, B = Bs tanh(mu0 mur H/Bs) + mu0 H: slope mu0 (mur + 1) at the origin, that of the
      vacuum far out. No hysteresis."));
  end SaturatingCore;

  model AirGap "Vm = Phi s/(mu0 A); pulls its faces together with Phi^2/(2 mu0 A)"
    extends TwoPorts;
    Translational.Flange a, b;
    parameter SI.Area A = 1e-4 "area of the faces";
    SI.Length s "distance of the faces";
    SI.Force pull "force between the faces";
  equation
    s = b.s - a.s;
    Vm*mu0*A = Phi*s;
    pull = Phi^2/(2*mu0*A);
    a.f = -pull;
    b.f = pull;
    annotation(Documentation(info =
      "Vm = s/(mu0 A) Phi with s = b.s - a.s; the faces pull with Phi^2/(2 mu0 A), the derivative of the field
      energy by s (Maxwell 1873). No fringing."));
  end AirGap;

  model Source "Vm given, as of a permanent magnet: Hc times its length"
    extends TwoPorts;
    parameter Real V(unit = "A") = 100 "magnetic potential";
  equation
    Vm = V;
    annotation(Documentation(info =
      "Vm = V. A permanent magnet of coercivity Hc and length l has V = Hc l, with its own reluctance beside
      it."));
  end Source;

  model Coil "Vm = N i, v = -N dPhi/dt"
    extends TwoPorts;
    Electrical.Pin a, b;
    parameter Real N = 100 "turns";
    SI.Voltage v "voltage from a to b";
    SI.Current i "current from a to b";
  equation
    v = a.v - b.v;
    i = a.i;
    a.i + b.i = 0;
    Vm = N*i;
    v = -N*der(Phi);
    annotation(Documentation(info =
      "Vm = N i (Ampere 1826), v = -N dPhi/dt (Faraday 1831), with the flux from p to n."));
  end Coil;

  model FluxSensor "Measures a flux, holds no potential"
    Port p, n;
    output SI.MagneticFlux Phi;
  equation
    p.Vm = n.Vm;
    p.Phi + n.Phi = 0;
    Phi = p.Phi;
    annotation(Documentation(info = "Phi = flux from p to n; no potential is lost in it."));
  end FluxSensor;

  model PotentialSensor "Measures a potential, carries no flux"
    Port p, n;
    output Real Vm(unit = "A");
  equation
    p.Phi = 0;
    n.Phi = 0;
    Vm = p.Vm - n.Vm;
    annotation(Documentation(info = "Vm = p.Vm - n.Vm; no flux goes through it."));
  end PotentialSensor;
end Magnetic;
