package Rotational "Motion about an axis: angles and torques at flanges"
  import SI = Modelica.Units.SI;

  connector Flange "An end of a shaft"
    SI.Angle phi "angle";
    flow SI.Torque tau "torque on the part";
  end Flange;

  partial model TwoFlanges "A part between two shafts"
    Flange a, b;
    SI.Angle rel "b.phi - a.phi";
    SI.Torque tau "torque between them";
  equation
    rel = b.phi - a.phi;
    b.tau = tau;
    a.tau = -tau;
  end TwoFlanges;

  model Fixed "Held still"
    Flange a;
    parameter SI.Angle phi = 0;
  equation
    a.phi = phi;
    annotation(Documentation(info = "a.phi = phi."));
  end Fixed;

  model Inertia "J dw/dt = sum of torques"
    Flange a, b;
    parameter SI.Inertia J = 1 "moment of inertia";
    SI.Angle phi;
    SI.AngularVelocity w(start = 0);
    SI.AngularAcceleration acc;
  equation
    phi = a.phi;
    phi = b.phi;
    w = der(phi);
    acc = der(w);
    J*acc = a.tau + b.tau;
    annotation(Documentation(info = "w = dphi/dt, J dw/dt = a.tau + b.tau (Euler 1765)."));
  end Inertia;

  model Spring "tau = c (rel - rest)"
    extends TwoFlanges;
    parameter Real c(unit = "N.m/rad") = 100 "stiffness";
    parameter SI.Angle rest = 0;
  equation
    tau = c*(rel - rest);
    annotation(Documentation(info = "tau = c (b.phi - a.phi - rest)."));
  end Spring;

  model Damper "tau = d d(rel)/dt"
    extends TwoFlanges;
    parameter Real d(unit = "N.m.s/rad") = 1 "damping";
    SI.AngularVelocity w;
  equation
    w = der(rel);
    tau = d*w;
    annotation(Documentation(info = "tau = d d(b.phi - a.phi)/dt; it turns tau w into heat."));
  end Damper;

  model SpringDamper "Spring and damper side by side"
    extends TwoFlanges;
    parameter Real c(unit = "N.m/rad") = 100 "stiffness";
    parameter Real d(unit = "N.m.s/rad") = 1 "damping";
    SI.AngularVelocity w;
  equation
    w = der(rel);
    tau = c*rel + d*w;
    annotation(Documentation(info = "tau = c rel + d d(rel)/dt with rel = b.phi - a.phi (Kelvin 1865, Voigt 1892)."));
  end SpringDamper;

  model GearWithLoss "a.phi = ratio b.phi; what is lost on the way is 1 - eta of the power, whichever way it flows"
    Flange a, b;
    parameter Real ratio = 1 "speed of a over that of b";
    parameter Real eta = 1 "efficiency";
    SI.AngularVelocity w;
    SI.Power power "into a";
  protected
    Boolean driving "power flows from a to b";
  equation
    a.phi = ratio*b.phi;
    w = der(a.phi);
    power = a.tau*w;
    driving = power >= 0;
    b.tau = -ratio*a.tau*(if driving then eta else 1/eta);
    annotation(Documentation(info =
      "a.phi = ratio b.phi. Power into a: b.tau = -ratio eta a.tau; power into b: a.tau = -eta b.tau/ratio.
      Which of them holds follows the sign of a.tau w."));
  end GearWithLoss;

  model Gear "a.phi = ratio b.phi without loss"
    Flange a, b;
    parameter Real ratio = 1 "speed of a over that of b";
  equation
    a.phi = ratio*b.phi;
    ratio*a.tau + b.tau = 0;
    annotation(Documentation(info = "a.phi = ratio b.phi, ratio a.tau + b.tau = 0: no loss, no play, no inertia."));
  end Gear;

  model ShareGear "a.phi = ratio b.phi; b gets the share of the torque, whichever way the power flows"
    Flange a, b;
    parameter Real ratio = 1 "speed of a over that of b";
    parameter Real share = 1 "share of the torque that is passed on";
  equation
    a.phi = ratio*b.phi;
    b.tau = -ratio*share*a.tau;
    annotation(Documentation(info =
      "a.phi = ratio b.phi, b.tau = -ratio share a.tau, whichever way the power flows: the torque ratio is
      measured, not the loss."));
  end ShareGear;

  model Planetary "(1 + r) carrier = sun + r ring, r = teeth of the ring over those of the sun"
    Flange sun, ring, carrier;
    parameter Real r = 2;
  equation
    (1 + r)*carrier.phi = sun.phi + r*ring.phi;
    ring.tau = r*sun.tau;
    carrier.tau = -(1 + r)*sun.tau;
    annotation(Documentation(info =
      "Kinematics (1 + r) carrier = sun + r ring (Willis 1841), torques ring = r sun, carrier = -(1 + r) sun;
      no loss."));
  end Planetary;

  model Torque "A torque from an input"
    Flange a;
    input SI.Torque u "torque on what is linked";
  equation
    a.tau = -u;
    annotation(Documentation(info = "The part that is linked is turned with u in the direction of phi."));
  end Torque;

  model SpeedSource "A speed from an input"
    Flange a;
    input SI.AngularVelocity u;
    SI.Angle phi(start = 0, fixed = true);
  equation
    der(phi) = u;
    a.phi = phi;
    annotation(Documentation(info = "d(a.phi)/dt = u, whatever the torque."));
  end SpeedSource;

  model AngleSource "An angle from an input"
    Flange a;
    input SI.Angle u;
  equation
    a.phi = u;
    annotation(Documentation(info =
      "a.phi = u, whatever the torque. u must have a second derivative where inertias follow."));
  end AngleSource;

  partial model DryFriction
    "Friction that sticks: the state follows the curve parameter sa (Otter, Elmqvist and Mattsson 1999)"
    Real v(start = 0, unit = "rad/s") "relative speed";
    Real a "relative acceleration";
    Real f(unit = "N.m") "friction";
    Real sliding(unit = "N.m") "friction while sliding, at this speed";
    Real breakaway(unit = "N.m") "friction that can hold";
    Boolean free "no contact";
    Boolean locked(start = false) "sticks";
    Integer mode(start = 3) "1 forwards, 0 stuck, -1 backwards, 2 free, 3 not known yet";
  protected
    Real sa "along the curve";
    Boolean forward(start = false), backward(start = false);
  equation
    forward = pre(mode) == 0 and (sa > breakaway or pre(forward) and sa > sliding) or pre(mode) == -1
      and sa > breakaway or initial() and v > 0;
    backward = pre(mode) == 0 and (sa < -breakaway or pre(backward) and sa < -sliding) or pre(mode) == 1
      and sa < -breakaway or initial() and v < 0;
    locked = not free and not (pre(mode) == 1 or forward or pre(mode) == -1 or backward);
    a = if locked then 0 else if free then sa else if forward then sa - breakaway
      else if backward then sa + breakaway else if pre(mode) == 1 then sa - breakaway else sa + breakaway;
    f = if locked then sa else if free then 0 else if forward then sliding else if backward then -sliding
      else if pre(mode) == 1 then sliding else -sliding;
    mode = if free then 2 else if (pre(mode) == 1 or pre(mode) == 2 or pre(mode) == 3 or forward)
      and v > 0 then 1 else if (pre(mode) == -1 or pre(mode) == 2 or pre(mode) == 3 or backward)
        and v < 0 then -1 else 0;
    annotation(Documentation(info =
      "While sliding the friction is given; while it sticks the acceleration is zero and the friction is what
      it takes, up to breakaway. A curve parameter sa says which, and mode remembers it from event to event
      (Otter, Elmqvist and Mattsson 1999)."));
  end DryFriction;

  model Bearing "Dry and viscous friction against the housing"
    extends DryFriction;
    Flange shaft;
    parameter SI.Torque Tc = 0.1 "Coulomb friction";
    parameter Real peak = 1 "holds up to this many times the Coulomb friction";
    parameter Real d(unit = "N.m.s/rad") = 0 "viscous part";
  equation
    v = der(shaft.phi);
    a = der(v);
    free = false;
    sliding = Tc + d*abs(v);
    breakaway = peak*Tc;
    shaft.tau = f;
    annotation(Documentation(info =
      "Sliding: |f| = Tc + d |w|, against the speed. Sticking: w = 0 holds exactly while |f| <= peak Tc."));
  end Bearing;

  model Clutch "Dry friction between two shafts, pressed by an input from 0 to 1"
    extends DryFriction;
    Flange one, two;
    parameter SI.Torque Tmax = 10 "friction when pressed fully";
    parameter Real peak = 1 "holds up to this many times as much";
    input Real press(start = 1) "0 to 1";
    SI.AngularVelocity w;
  equation
    w = der(two.phi) - der(one.phi);
    v = w;
    a = der(v);
    free = press <= 0;
    sliding = Tmax*max(press, 0);
    breakaway = peak*sliding;
    two.tau = f;
    one.tau = -f;
    annotation(Documentation(info =
      "Sliding: |f| = Tmax press, against the speed of two over one. Sticking: both turn alike while |f| <=
      peak Tmax press. press <= 0: free."));
  end Clutch;

  model Brake "Dry friction against the housing, pressed by an input from 0 to 1"
    extends DryFriction;
    Flange shaft;
    parameter SI.Torque Tmax = 10 "friction when pressed fully";
    parameter Real peak = 1;
    input Real press(start = 0) "0 to 1";
  equation
    v = der(shaft.phi);
    a = der(v);
    free = press <= 0;
    sliding = Tmax*max(press, 0);
    breakaway = peak*sliding;
    shaft.tau = f;
    annotation(Documentation(info =
      "Sliding: |f| = Tmax press, against the speed. Sticking: w = 0 holds exactly while |f| <= peak Tmax
      press. press <= 0: free."));
  end Brake;

  model AngleSensor "Measures an angle, holds nothing"
    Flange a;
    output SI.Angle phi;
  equation
    a.tau = 0;
    phi = a.phi;
    annotation(Documentation(info = "phi = a.phi, without torque."));
  end AngleSensor;

  model SpeedSensor "Measures a speed, holds nothing"
    Flange a;
    output SI.AngularVelocity w;
  equation
    a.tau = 0;
    w = der(a.phi);
    annotation(Documentation(info = "w = d(a.phi)/dt, without torque."));
  end SpeedSensor;

  model TorqueSensor "Measures a torque, turns with what it joins"
    Flange a, b;
    output SI.Torque tau;
  equation
    a.phi = b.phi;
    a.tau + b.tau = 0;
    tau = a.tau;
    annotation(Documentation(info = "tau = torque that goes from a to b; both turn alike."));
  end TorqueSensor;
end Rotational;
