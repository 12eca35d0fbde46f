package Hydraulic "Liquids: pressures and volume flows at ports"
  import SI = Modelica.Units.SI;

  connector Port "A place where liquid enters a part"
    SI.Pressure p "pressure above that of the air";
    flow SI.VolumeFlowRate q "volume flow into the part";
  end Port;

  partial model TwoPorts "A part between two ports"
    Port a, b;
    SI.Pressure dp "a.p - b.p";
    SI.VolumeFlowRate q "from a to b";
  equation
    dp = a.p - b.p;
    a.q = q;
    b.q = -q;
  end TwoPorts;

  model Tank "Open tank: A dh/dt = q, p = rho g h at its bottom"
    Port port;
    parameter SI.Area A = 1 "cross section";
    parameter SI.Density rho = 1000;
    parameter SI.Acceleration g = 9.81;
    SI.Height h(start = 0) "level";
  equation
    A*der(h) = port.q;
    port.p = rho*g*h;
    annotation(Documentation(info =
      "A dh/dt = q, p = rho g h at its bottom. It has no rim: levels above that of the real tank, or below
      zero, are for a requirement to tell."));
  end Tank;

  model Ambient "Pressure of the air"
    Port port;
  equation
    port.p = 0;
    annotation(Documentation(info = "port.p = 0: pressures count from that of the air."));
  end Ambient;

  model PressureSource "p from an input"
    Port port;
    input SI.Pressure u;
  equation
    port.p = u;
    annotation(Documentation(info = "port.p = u, whatever the flow."));
  end PressureSource;

  model FlowSource "q from an input"
    Port port;
    input SI.VolumeFlowRate u "into what is linked";
  equation
    port.q = -u;
    annotation(Documentation(info = "u flows into what is linked, whatever the pressure."));
  end FlowSource;

  model Pipe "Laminar flow: dp = 128 mu L q/(pi d^4) (Hagen 1839, Poiseuille 1840)"
    extends TwoPorts;
    parameter SI.Length L = 1 "length";
    parameter SI.Diameter d = 0.01 "bore";
    parameter SI.DynamicViscosity mu = 1e-3 "viscosity";
  equation
    dp = 128*mu*L/(Modelica.Constants.pi*d^4)*q;
    annotation(Documentation(info =
      "dp = 128 mu L/(pi d^4) q (Hagen 1839, Poiseuille 1840). Laminar: right for Reynolds numbers 4 rho q/(pi
      d mu) below 2300."));
  end Pipe;

  model Inertance "Liquid that has to be accelerated: dp = rho L/A dq/dt"
    extends TwoPorts;
    parameter SI.Length L = 1;
    parameter SI.Area A = 1e-4;
    parameter SI.Density rho = 1000;
  equation
    rho*L/A*der(q) = dp;
    annotation(Documentation(info = "dp = rho L/A dq/dt."));
  end Inertance;

  model Orifice "Turbulent flow: dp = rho/2 (q/(Cd A))^2, laminar below dpSmall"
    extends TwoPorts;
    parameter SI.Area A = 1e-5 "opening";
    parameter Real Cd = 0.7 "discharge coefficient";
    parameter SI.Density rho = 1000;
    parameter SI.Pressure dpSmall = 1 "laminar below";
  equation
    q = Cd*A*sqrt(2/rho)*(if abs(dp) > dpSmall then sign(dp)*sqrt(abs(dp))
      else dp*(1.25 - 0.25*(dp/dpSmall)^2)/sqrt(dpSmall));
    annotation(Documentation(info =
      "q = Cd A sqrt(2 |dp|/rho) with the sign of dp (Torricelli 1643; Cd is about 0.7 at a sharp edge); below
      dpSmall a cubic with the same value and slope at dpSmall, so that the slope at zero is finite."));
  end Orifice;

  model Valve "An orifice opened by an input from 0 to 1"
    extends TwoPorts;
    input Real opening(start = 1) "0 to 1";
    parameter SI.Area A = 1e-5 "fully open";
    parameter Real Cd = 0.7;
    parameter SI.Density rho = 1000;
    parameter SI.Pressure dpSmall = 1;
  equation
    q = max(0, min(1, opening))*Cd*A*sqrt(2/rho)*(if abs(dp) > dpSmall then sign(dp)*sqrt(abs(dp))
      else dp*(1.25 - 0.25*(dp/dpSmall)^2)/sqrt(dpSmall));
    annotation(Documentation(info = "An orifice whose area is A times the opening, cut to 0 to 1."));
  end Valve;

  model CheckValve "Lets liquid pass from a to b only"
    extends TwoPorts;
    parameter Real G(unit = "m3/(s.Pa)") = 1e-6 "conductance when open";
    parameter Real leak(unit = "m3/(s.Pa)") = 1e-14 "when closed";
  equation
    q = (if dp > 0 then G else leak)*dp;
    annotation(Documentation(info = "q = G dp from a to b, q = leak dp the other way."));
  end CheckValve;

  model Pump "Displacement pump: q = volume w/(2 pi), torque from the pressure"
    extends TwoPorts;
    Rotational.Flange shaft;
    parameter SI.Volume volume = 1e-5 "per turn";
    SI.AngularVelocity w;
  equation
    w = der(shaft.phi);
    -q = -volume/(2*Modelica.Constants.pi)*w;
    shaft.tau = -volume/(2*Modelica.Constants.pi)*dp;
    annotation(Documentation(info =
      "q = volume w/(2 pi) from a to b and shaft.tau = -volume dp/(2 pi): what the shaft gives as power, the
      liquid takes."));
  end Pump;

  model Accumulator "Compressible volume: C dp/dt = q"
    Port port;
    parameter Real C(unit = "m3/Pa") = 1e-9 "volume over pressure";
    SI.Pressure p(start = 0);
  equation
    p = port.p;
    C*der(p) = port.q;
    annotation(Documentation(info = "C dp/dt = q. A volume V of liquid with bulk modulus K has C = V/K."));
  end Accumulator;

  model PressureSensor "Measures a pressure, takes no liquid"
    Port port;
    output SI.Pressure p;
  equation
    port.q = 0;
    p = port.p;
    annotation(Documentation(info = "p = port.p, without flow."));
  end PressureSensor;

  model FlowSensor "Measures a flow, holds no pressure"
    Port a, b;
    output SI.VolumeFlowRate q;
  equation
    a.p = b.p;
    a.q + b.q = 0;
    q = a.q;
    annotation(Documentation(info = "q = flow from a to b; no pressure is lost in it."));
  end FlowSensor;
end Hydraulic;
