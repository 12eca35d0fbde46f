/** Circuits of concentrated elements. */
export const electrical = `
package Electrical "Circuits: voltages and currents at pins"
  import SI = Modelica.Units.SI;
  connector Pin "A place where current enters a part" SI.Voltage v "potential"; flow SI.Current i "current into the part"; end Pin;
  partial model TwoPin "A part between two pins: v = p.v - n.v, i from p to n"
    Pin p, n; SI.Voltage v "voltage from p to n"; SI.Current i "current from p to n";
  equation v = p.v - n.v; i = p.i; p.i + n.i = 0;
  end TwoPin;
  model Ground "Potential zero" Pin p; equation p.v = 0; end Ground;
  model Resistor "v = R i" extends TwoPin; parameter SI.Resistance R = 1 "resistance"; SI.Power loss "heat"; equation v = R*i; loss = v*i; end Resistor;
  model Capacitor "i = C dv/dt" extends TwoPin; parameter SI.Capacitance C = 1e-6 "capacitance"; equation i = C*der(v); end Capacitor;
  model Inductor "v = L di/dt" extends TwoPin; parameter SI.Inductance L = 1e-3 "inductance"; equation L*der(i) = v; end Inductor;
  model VoltageSource "v given" extends TwoPin; parameter SI.Voltage V = 1 "voltage"; equation v = V; end VoltageSource;
  model SignalVoltage "v follows an input" extends TwoPin; input SI.Voltage u "voltage"; equation v = u; end SignalVoltage;
  model SineVoltage "v = V sin(2 pi f t + phase)" extends TwoPin; parameter SI.Voltage V = 1 "amplitude"; parameter SI.Frequency f = 50 "frequency"; parameter SI.Angle phase = 0;
  equation v = V*sin(2*Modelica.Constants.pi*f*time + phase); end SineVoltage;
  model CurrentSource "i given" extends TwoPin; parameter SI.Current I = 1 "current"; equation i = I; end CurrentSource;
  model SignalCurrent "i follows an input" extends TwoPin; input SI.Current u "current"; equation i = u; end SignalCurrent;
  model IdealDiode "Conducts with Ron from the knee voltage on, blocks with Goff below it; the branch follows the curve parameter s"
    extends TwoPin; parameter SI.Resistance Ron = 1e-5 "resistance when conducting"; parameter SI.Conductance Goff = 1e-5 "conductance when blocking"; parameter SI.Voltage knee = 0 "forward voltage";
    Boolean off(start = true) "blocks"; protected Real s "along the curve";
  equation off = s < 0; v = s*(if off then 1 else Ron) + knee; i = s*(if off then Goff else 1) + Goff*knee;
  end IdealDiode;
  model Switch "Closed while its input holds" extends TwoPin; input Boolean closed(start = false) "conducts"; parameter SI.Resistance Ron = 1e-5 "resistance when closed"; parameter SI.Conductance Goff = 1e-5 "conductance when open"; protected Real s "along the curve";
  equation v = s*(if closed then Ron else 1); i = s*(if closed then 1 else Goff); end Switch;
  model Transformer "Ideal: v1 = n v2, i2 = -n i1" Pin p1, n1, p2, n2; parameter Real n = 1 "turns of the first over those of the second winding"; SI.Voltage v1, v2; SI.Current i1, i2;
  equation v1 = p1.v - n1.v; v2 = p2.v - n2.v; i1 = p1.i; p1.i + n1.i = 0; i2 = p2.i; p2.i + n2.i = 0; v1 = n*v2; i2 = -n*i1; end Transformer;
  model CoupledInductors "v1 = L1 di1/dt + M di2/dt, and the same the other way" Pin p1, n1, p2, n2; parameter SI.Inductance L1 = 1e-3, L2 = 1e-3, M = 0.5e-3 "mutual"; SI.Voltage v1, v2; SI.Current i1(start = 0), i2(start = 0);
  equation v1 = p1.v - n1.v; v2 = p2.v - n2.v; i1 = p1.i; p1.i + n1.i = 0; i2 = p2.i; p2.i + n2.i = 0; v1 = L1*der(i1) + M*der(i2); v2 = M*der(i1) + L2*der(i2); end CoupledInductors;
  model Motor "Electromechanical conversion: tau = k i, v = k w" extends TwoPin; Rotational.Flange shaft "turning side"; parameter Real k(unit = "N.m/A") = 0.1 "torque constant"; SI.AngularVelocity w "speed of the shaft";
  equation w = der(shaft.phi); v = k*w; shaft.tau = -k*i; end Motor;
  model HeatingResistor "A resistor that gives its loss to a heat port; R = R20 (1 + alpha (T - T20))" extends TwoPin; Thermal.HeatPort heat; parameter SI.Resistance R20 = 1 "resistance at 20 degC"; parameter Real alpha(unit = "1/K") = 0 "temperature coefficient"; SI.Resistance R;
  equation R = R20*(1 + alpha*(heat.T - 293.15)); v = R*i; heat.Q = -v*i; end HeatingResistor;
  model VoltageSensor "Measures a voltage, carries no current" Pin p, n; output SI.Voltage v; equation p.i = 0; n.i = 0; v = p.v - n.v; end VoltageSensor;
  model CurrentSensor "Measures a current, holds no voltage" Pin p, n; output SI.Current i; equation p.v = n.v; p.i + n.i = 0; i = p.i; end CurrentSensor;
end Electrical;
`;
