package Electrical "Circuits: voltages and currents at pins"
  import SI = Modelica.Units.SI;

  connector Pin "A place where current enters a part"
    SI.Voltage v "potential";
    flow SI.Current i "current into the part";
  end Pin;

  partial model TwoPin "A part between two pins: v = p.v - n.v, i from p to n"
    Pin p, n;
    SI.Voltage v "voltage from p to n";
    SI.Current i "current from p to n";
  equation
    v = p.v - n.v;
    i = p.i;
    p.i + n.i = 0;
  end TwoPin;

  model Ground "Potential zero"
    Pin p;
  equation
    p.v = 0;
    annotation(Documentation(info =
      "p.v = 0. Each circuit needs one: voltages are differences, and without it nothing says from where they
      count."));
  end Ground;

  model Resistor "v = R i"
    extends TwoPin;
    parameter SI.Resistance R = 1 "resistance";
    SI.Power loss "heat";
  equation
    v = R*i;
    loss = v*i;
    annotation(Documentation(info = "v = R i (Ohm 1827); loss = v i (Joule 1841)."));
  end Resistor;

  model Capacitor "i = C dv/dt"
    extends TwoPin;
    parameter SI.Capacitance C = 1e-6 "capacitance";
  equation
    i = C*der(v);
    annotation(Documentation(info = "i = C dv/dt, that is a charge of C v (Maxwell 1873). Energy C v^2/2."));
  end Capacitor;

  model Inductor "v = L di/dt"
    extends TwoPin;
    parameter SI.Inductance L = 1e-3 "inductance";
  equation
    L*der(i) = v;
    annotation(Documentation(info = "v = L di/dt (Faraday 1831, Henry 1832). Energy L i^2/2."));
  end Inductor;

  model VoltageSource "v given"
    extends TwoPin;
    parameter SI.Voltage V = 1 "voltage";
  equation
    v = V;
    annotation(Documentation(info = "v = V, whatever the current."));
  end VoltageSource;

  model DrivenVoltage "v follows an input"
    extends TwoPin;
    input SI.Voltage u "voltage";
  equation
    v = u;
    annotation(Documentation(info = "v = u, whatever the current."));
  end DrivenVoltage;

  model AlternatingVoltage "v = V sin(2 pi f t + phase)"
    extends TwoPin;
    parameter SI.Voltage V = 1 "amplitude";
    parameter SI.Frequency f = 50 "frequency";
    parameter SI.Angle phase = 0;
  equation
    v = V*sin(2*Modelica.Constants.pi*f*time + phase);
    annotation(Documentation(info = "v = V sin(2 pi f t + phase), with t the time of the run."));
  end AlternatingVoltage;

  model CurrentSource "i given"
    extends TwoPin;
    parameter SI.Current I = 1 "current";
  equation
    i = I;
    annotation(Documentation(info = "i = I from p to n inside the source, whatever the voltage."));
  end CurrentSource;

  model DrivenCurrent "i follows an input"
    extends TwoPin;
    input SI.Current u "current";
  equation
    i = u;
    annotation(Documentation(info = "i = u from p to n inside the source, whatever the voltage."));
  end DrivenCurrent;

  model Diode
    "Conducts with Ron from the knee voltage on, blocks with Goff below it; the branch follows the curve parameter s"
    extends TwoPin;
    parameter SI.Resistance Ron = 1e-5 "resistance when conducting";
    parameter SI.Conductance Goff = 1e-5 "conductance when blocking";
    parameter SI.Voltage knee = 0 "forward voltage";
    Boolean off(start = true) "blocks";
  protected
    Real s "along the curve";
  equation
    off = s < 0;
    v = s*(if off then 1 else Ron) + knee;
    i = s*(if off then Goff else 1) + Goff*knee;
    annotation(Documentation(info =
      "Two straight lines that meet at (knee, Goff knee), followed by a curve parameter s: for s < 0 v = s +
      knee, i = Goff s + Goff knee; for s >= 0 v = Ron s + knee, i = s + Goff knee. A parametrised curve has a
      value for v and i at every s, so that switching is one event and no equation changes its unknown (Otter,
      Elmqvist and Mattsson 1999)."));
  end Diode;

  model Switch "Closed while its input holds"
    extends TwoPin;
    input Boolean closed(start = false) "conducts";
    parameter SI.Resistance Ron = 1e-5 "resistance when closed";
    parameter SI.Conductance Goff = 1e-5 "conductance when open";
  protected
    Real s "along the curve";
  equation
    v = s*(if closed then Ron else 1);
    i = s*(if closed then 1 else Goff);
    annotation(Documentation(info =
      "Closed: v = Ron s, i = s. Open: v = s, i = Goff s. The parametrised form of the diode, with the branch
      chosen by the input."));
  end Switch;

  model Transformer "Ideal: v1 = n v2, i2 = -n i1"
    Pin p1, n1, p2, n2;
    parameter Real n = 1 "turns of the first over those of the second winding";
    SI.Voltage v1, v2;
    SI.Current i1, i2;
  equation
    v1 = p1.v - n1.v;
    v2 = p2.v - n2.v;
    i1 = p1.i;
    p1.i + n1.i = 0;
    i2 = p2.i;
    p2.i + n2.i = 0;
    v1 = n*v2;
    i2 = -n*i1;
    annotation(Documentation(info =
      "v1 = n v2, i2 = -n i1: no loss, no field that is left behind, every frequency alike."));
  end Transformer;

  model CoupledInductors "v1 = L1 di1/dt + M di2/dt, and the same the other way"
    Pin p1, n1, p2, n2;
    parameter SI.Inductance L1 = 1e-3, L2 = 1e-3, M = 0.5e-3 "mutual";
    SI.Voltage v1, v2;
    SI.Current i1(start = 0), i2(start = 0);
  equation
    v1 = p1.v - n1.v;
    v2 = p2.v - n2.v;
    i1 = p1.i;
    p1.i + n1.i = 0;
    i2 = p2.i;
    p2.i + n2.i = 0;
    v1 = L1*der(i1) + M*der(i2);
    v2 = M*der(i1) + L2*der(i2);
    annotation(Documentation(info =
      "v1 = L1 di1/dt + M di2/dt, v2 = M di1/dt + L2 di2/dt. Energy L1 i1^2/2 + M i1 i2 + L2 i2^2/2; it is
      positive for M^2 < L1 L2 (Maxwell 1873)."));
  end CoupledInductors;

  model Motor "Electromechanical conversion: tau = k i, v = k w"
    extends TwoPin;
    Rotational.Flange shaft "turning side";
    parameter Real k(unit = "N.m/A") = 0.1 "torque constant";
    SI.AngularVelocity w "speed of the shaft";
  equation
    w = der(shaft.phi);
    v = k*w;
    shaft.tau = -k*i;
    annotation(Documentation(info =
      "v = k w, tau = k i: what is taken as v i comes out as tau w. Resistance, inductance, inertia and
      friction are parts of their own beside it."));
  end Motor;

  model ResistorWithHeat "A resistor that gives its loss to a heat port; R = R20 (1 + alpha (T - T20))"
    extends TwoPin;
    Thermal.Port heat;
    parameter SI.Resistance R20 = 1 "resistance at 20 degC";
    parameter Real alpha(unit = "1/K") = 0 "temperature coefficient";
    SI.Resistance R;
  equation
    R = R20*(1 + alpha*(heat.T - 293.15));
    v = R*i;
    heat.Q = -v*i;
    annotation(Documentation(info =
      "v = R i with R = R20 (1 + alpha (T - 293.15 K)); heat.Q = -v i. For copper alpha = 3.93e-3/K (IEC 60028,
      1925)."));
  end ResistorWithHeat;

  model VoltageSensor "Measures a voltage, carries no current"
    Pin p, n;
    output SI.Voltage v;
  equation
    p.i = 0;
    n.i = 0;
    v = p.v - n.v;
    annotation(Documentation(info = "v = p.v - n.v; no current flows through it."));
  end VoltageSensor;

  model CurrentSensor "Measures a current, holds no voltage"
    Pin p, n;
    output SI.Current i;
  equation
    p.v = n.v;
    p.i + n.i = 0;
    i = p.i;
    annotation(Documentation(info = "i = current from p to n; no voltage stands across it."));
  end CurrentSensor;
end Electrical;
