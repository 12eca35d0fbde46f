package Pneumatic "Compressed air at one temperature: absolute pressures and mass flows"
  import SI = Modelica.Units.SI;
  constant Real Rs(unit = "J/(kg.K)") = 287.058 "specific gas constant of dry air";
  constant SI.Density rho0 = 1.185 "density at the reference of ISO 6358: 20 degC, 100 kPa";

  connector Port "A place where air enters a part"
    SI.AbsolutePressure p(start = 1e5) "pressure";
    flow SI.MassFlowRate m "mass flow into the part";
  end Port;

  partial model TwoPorts "A part between two ports: dp = a.p - b.p, m from a to b"
    Port a, b;
    SI.Pressure dp "drop of pressure";
    SI.MassFlowRate m "mass flow from a to b";
  equation
    dp = a.p - b.p;
    m = a.m;
    a.m + b.m = 0;
  end TwoPorts;

  model Ambient "The air around: p given"
    Port port;
    parameter SI.AbsolutePressure p = 101325 "pressure";
  equation
    port.p = p;
    annotation(Documentation(info = "port.p = p, whatever the flow."));
  end Ambient;

  model PressureSource "p follows an input"
    Port port;
    input SI.AbsolutePressure p;
  equation
    port.p = p;
    annotation(Documentation(info = "port.p = p, whatever the flow."));
  end PressureSource;

  model FlowSource "A given mass flow out of its port"
    Port port;
    parameter SI.MassFlowRate m = 1e-3 "mass flow";
  equation
    port.m = -m;
    annotation(Documentation(info = "m flows out of the port, whatever the pressure."));
  end FlowSource;

  model Volume "V dp/dt = Rs T m"
    Port port;
    parameter SI.Volume V = 1e-3 "volume";
    parameter SI.Temperature T = 293.15 "temperature";
    SI.AbsolutePressure p(start = 101325) "pressure";
    SI.Mass mass "air inside";
  equation
    p = port.p;
    mass*Rs*T = p*V;
    V*der(p) = Rs*T*port.m;
    annotation(Documentation(info =
      "mass Rs T = p V, V dp/dt = Rs T m: an ideal gas whose walls keep its temperature."));
  end Volume;

  model Resistance "m = dp/R, for slow flow"
    extends TwoPorts;
    parameter Real R(unit = "Pa.s/kg") = 1e8 "resistance";
  equation
    m*R = dp;
    annotation(Documentation(info = "R m = dp."));
  end Resistance;

  partial model Restriction
    "ISO 6358: m = C rho0 p1 sqrt(1 - ((r - b)/(1 - b))^2) with r = p2/p1; choked from r = b down; straight near r = 1"
    extends TwoPorts;
    parameter Real C(unit = "m3/(s.Pa)") = 1e-8 "sonic conductance";
    parameter Real crit = 0.3 "critical ratio of pressures";
    parameter Real rlam = 0.999 "ratio from which flow is laminar";
    Real opening "open share";
    SI.AbsolutePressure high "the higher pressure";
    Real r "ratio of pressures";
    Real psi "flow function";
    Boolean choked "the flow is at the speed of sound";
  equation
    high = max(a.p, b.p);
    r = min(a.p, b.p)/high;
    choked = r < crit;
    psi = if choked then 1 elseif r < rlam then sqrt(1 - ((r - crit)/(1 - crit))^2)
      else (1 - r)/(1 - rlam)*sqrt(1 - ((rlam - crit)/(1 - crit))^2);
    m = opening*C*rho0*high*psi*noEvent(if a.p >= b.p then 1 else -1);
    annotation(Documentation(info =
      "m = C rho0 p1 psi(r), r = p2/p1 with p1 the higher pressure: psi = 1 for r < crit (choked), sqrt(1 - ((r
      - crit)/(1 - crit))^2) above, a straight line from r = rlam to 1 (ISO 6358-1:2013, with the reference
      density at 20 degC and 100 kPa)."));
  end Restriction;

  model Orifice "A restriction of ISO 6358"
    extends Restriction;
  equation
    opening = 1;
    annotation(Documentation(info = "The restriction of ISO 6358, open."));
  end Orifice;

  model Valve "A restriction whose opening follows an input from 0 to 1"
    extends Restriction;
    input Real u;
  equation
    opening = max(0, min(1, u));
    annotation(Documentation(info = "The restriction of ISO 6358, its flow times the opening u, cut to 0 to 1."));
  end Valve;

  model Cylinder "A piston: p A s = m Rs T inside, force (p - around) A"
    Port port;
    Translational.Flange a, b;
    parameter SI.Area A = 1e-3 "area of the piston";
    parameter SI.Length dead = 1e-3 "length left at s = 0";
    parameter SI.Temperature T = 293.15 "temperature";
    parameter SI.AbsolutePressure around = 101325 "pressure outside";
    SI.AbsolutePressure p(start = 101325) "pressure";
    SI.Length s "stroke";
    SI.Force force "pushes the flanges apart";
  equation
    p = port.p;
    s = b.s - a.s;
    der(p)*A*(s + dead) + p*A*der(s) = Rs*T*port.m;
    force = (p - around)*A;
    b.f = -force;
    a.f = force;
    annotation(Documentation(info =
      "m Rs T = d(p A (s + dead))/dt with s = b.s - a.s; the flanges are pushed apart with (p - around) A. One
      chamber, one temperature."));
  end Cylinder;

  model PressureSensor "Measures a pressure, takes no air"
    Port port;
    output SI.AbsolutePressure p;
  equation
    p = port.p;
    port.m = 0;
    annotation(Documentation(info = "p = port.p, without flow."));
  end PressureSensor;

  model FlowSensor "Measures a mass flow, holds no pressure"
    Port a, b;
    output SI.MassFlowRate m;
  equation
    a.p = b.p;
    a.m + b.m = 0;
    m = a.m;
    annotation(Documentation(info = "m = mass flow from a to b; no pressure is lost in it."));
  end FlowSensor;
end Pneumatic;
