/** Heat between bodies of one temperature each. */
export const thermal = `
package Thermal "Heat: temperatures and heat flows at ports"
  import SI = Modelica.Units.SI;
  connector HeatPort "A place where heat enters a part" SI.Temperature T "temperature"; flow SI.HeatFlowRate Q "heat flow into the part"; end HeatPort;
  partial model TwoPorts "A part between two ports" HeatPort a, b; SI.TemperatureDifference dT "a.T - b.T"; SI.HeatFlowRate Q "from a to b"; equation dT = a.T - b.T; a.Q = Q; b.Q = -Q; end TwoPorts;
  model Capacity "C dT/dt = Q" HeatPort port; parameter SI.HeatCapacity C = 100 "heat capacity"; SI.Temperature T(start = 293.15); equation T = port.T; C*der(T) = port.Q; end Capacity;
  model Conductor "Q = G (a.T - b.T)" extends TwoPorts; parameter SI.ThermalConductance G = 1 "conductance"; equation Q = G*dT; end Conductor;
  model Resistor "a.T - b.T = R Q" extends TwoPorts; parameter SI.ThermalResistance R = 1 "resistance"; equation dT = R*Q; end Resistor;
  model Convection "Q = h A (a.T - b.T), with h from an input" extends TwoPorts; parameter SI.Area A = 1 "area"; input Real h(start = 10, unit = "W/(m2.K)") "heat transfer"; equation Q = h*A*dT; end Convection;
  model Radiation "Q = sigma eps A (a.T^4 - b.T^4) (Stefan 1879, Boltzmann 1884)" extends TwoPorts; parameter SI.Area A = 1 "area"; parameter Real eps = 1 "emissivity of both together"; equation Q = Modelica.Constants.sigma*eps*A*(a.T^4 - b.T^4); end Radiation;
  model FixedTemperature "T given" HeatPort port; parameter SI.Temperature T = 293.15; equation port.T = T; end FixedTemperature;
  model Temperature "T from an input" HeatPort port; input SI.Temperature u(start = 293.15); equation port.T = u; end Temperature;
  model HeatSource "Q from an input" HeatPort port; input SI.HeatFlowRate u "into what is linked"; equation port.Q = -u; end HeatSource;
  model TemperatureSensor HeatPort port; output SI.Temperature T; equation port.Q = 0; T = port.T; end TemperatureSensor;
  model HeatFlowSensor HeatPort a, b; output SI.HeatFlowRate Q; equation a.T = b.T; a.Q + b.Q = 0; Q = a.Q; end HeatFlowSensor;
end Thermal;
`;

/** Liquids of one density in tanks and pipes. */
export const hydraulic = `
package Hydraulic "Liquids: pressures and volume flows at ports"
  import SI = Modelica.Units.SI;
  connector Port "A place where liquid enters a part" SI.Pressure p "pressure above that of the air"; flow SI.VolumeFlowRate q "volume flow into the part"; end Port;
  partial model TwoPorts "A part between two ports" Port a, b; SI.Pressure dp "a.p - b.p"; SI.VolumeFlowRate q "from a to b"; equation dp = a.p - b.p; a.q = q; b.q = -q; end TwoPorts;
  model Tank "Open tank: A dh/dt = q, p = rho g h at its bottom" Port port; parameter SI.Area A = 1 "cross section"; parameter SI.Density rho = 1000; parameter SI.Acceleration g = 9.81; SI.Height h(start = 0) "level"; equation A*der(h) = port.q; port.p = rho*g*h; end Tank;
  model Ambient "Pressure of the air" Port port; equation port.p = 0; end Ambient;
  model PressureSource "p from an input" Port port; input SI.Pressure u; equation port.p = u; end PressureSource;
  model FlowSource "q from an input" Port port; input SI.VolumeFlowRate u "into what is linked"; equation port.q = -u; end FlowSource;
  model Pipe "Laminar flow: dp = 128 mu L q/(pi d^4) (Hagen 1839, Poiseuille 1840)" extends TwoPorts; parameter SI.Length L = 1 "length"; parameter SI.Diameter d = 0.01 "bore"; parameter SI.DynamicViscosity mu = 1e-3 "viscosity"; equation dp = 128*mu*L/(Modelica.Constants.pi*d^4)*q; end Pipe;
  model Inertance "Liquid that has to be accelerated: dp = rho L/A dq/dt" extends TwoPorts; parameter SI.Length L = 1; parameter SI.Area A = 1e-4; parameter SI.Density rho = 1000; equation rho*L/A*der(q) = dp; end Inertance;
  model Orifice "Turbulent flow: dp = rho/2 (q/(Cd A))^2, laminar below dpSmall" extends TwoPorts; parameter SI.Area A = 1e-5 "opening"; parameter Real Cd = 0.7 "discharge coefficient"; parameter SI.Density rho = 1000; parameter SI.Pressure dpSmall = 1 "laminar below";
  equation q = Cd*A*sqrt(2/rho)*(if abs(dp) > dpSmall then sign(dp)*sqrt(abs(dp)) else dp*(1.25 - 0.25*(dp/dpSmall)^2)/sqrt(dpSmall)); end Orifice;
  model Valve "An orifice opened by an input from 0 to 1" extends TwoPorts; input Real opening(start = 1) "0 to 1"; parameter SI.Area A = 1e-5 "fully open"; parameter Real Cd = 0.7; parameter SI.Density rho = 1000; parameter SI.Pressure dpSmall = 1;
  equation q = max(0, min(1, opening))*Cd*A*sqrt(2/rho)*(if abs(dp) > dpSmall then sign(dp)*sqrt(abs(dp)) else dp*(1.25 - 0.25*(dp/dpSmall)^2)/sqrt(dpSmall)); end Valve;
  model CheckValve "Lets liquid pass from a to b only" extends TwoPorts; parameter Real G(unit = "m3/(s.Pa)") = 1e-6 "conductance when open"; parameter Real leak(unit = "m3/(s.Pa)") = 1e-14 "when closed"; equation q = (if dp > 0 then G else leak)*dp; end CheckValve;
  model Pump "Displacement pump: q = volume w/(2 pi), torque from the pressure" extends TwoPorts; Rotational.Flange shaft; parameter SI.Volume volume = 1e-5 "per turn"; SI.AngularVelocity w; equation w = der(shaft.phi); -q = -volume/(2*Modelica.Constants.pi)*w; shaft.tau = -volume/(2*Modelica.Constants.pi)*dp; end Pump;
  model Accumulator "Compressible volume: C dp/dt = q" Port port; parameter Real C(unit = "m3/Pa") = 1e-9 "volume over pressure"; SI.Pressure p(start = 0); equation p = port.p; C*der(p) = port.q; end Accumulator;
  model PressureSensor Port port; output SI.Pressure p; equation port.q = 0; p = port.p; end PressureSensor;
  model FlowSensor Port a, b; output SI.VolumeFlowRate q; equation a.p = b.p; a.q + b.q = 0; q = a.q; end FlowSensor;
end Hydraulic;
`;
