package Translational "Motion along a line: positions and forces at flanges"
  import SI = Modelica.Units.SI;

  connector Flange "A place where a part is held"
    SI.Position s "position";
    flow SI.Force f "force on the part";
  end Flange;

  partial model TwoFlanges "A part between two flanges"
    Flange a, b;
    SI.Length rel "b.s - a.s";
    SI.Force f "force between them, positive when pulled apart";
  equation
    rel = b.s - a.s;
    b.f = f;
    a.f = -f;
  end TwoFlanges;

  model Fixed "Held still"
    Flange a;
    parameter SI.Position s = 0 "position";
  equation
    a.s = s;
    annotation(Documentation(info = "a.s = s."));
  end Fixed;

  model Mass "m dv/dt = sum of forces"
    Flange a, b;
    parameter SI.Mass m = 1 "mass";
    SI.Position s;
    SI.Velocity v(start = 0);
    SI.Acceleration acc;
  equation
    s = a.s;
    s = b.s;
    v = der(s);
    acc = der(v);
    m*acc = a.f + b.f;
    annotation(Documentation(info = "v = ds/dt, m dv/dt = a.f + b.f (Newton 1687)."));
  end Mass;

  model Spring "f = c (rel - length)"
    extends TwoFlanges;
    parameter Real c(unit = "N/m") = 1000 "stiffness";
    parameter SI.Length length = 0 "unstretched";
  equation
    f = c*(rel - length);
    annotation(Documentation(info = "f = c (b.s - a.s - length) (Hooke 1678)."));
  end Spring;

  model Damper "f = d d(rel)/dt"
    extends TwoFlanges;
    parameter Real d(unit = "N.s/m") = 10 "damping";
    SI.Velocity v;
    SI.Power loss;
  equation
    v = der(rel);
    f = d*v;
    loss = f*v;
    annotation(Documentation(info = "f = d (d(b.s - a.s)/dt); it turns f v into heat."));
  end Damper;

  model SpringDamper "Spring and damper side by side"
    extends TwoFlanges;
    parameter Real c(unit = "N/m") = 1000 "stiffness";
    parameter Real d(unit = "N.s/m") = 10 "damping";
    parameter SI.Length length = 0 "unstretched";
    SI.Velocity v;
  equation
    v = der(rel);
    f = c*(rel - length) + d*v;
    annotation(Documentation(info =
      "f = c (rel - length) + d d(rel)/dt with rel = b.s - a.s (Kelvin 1865, Voigt 1892)."));
  end SpringDamper;

  model Force "A force from an input"
    Flange a;
    input SI.Force u "force on what is linked";
  equation
    a.f = -u;
    annotation(Documentation(info = "The part that is linked is pushed with u in the direction of s."));
  end Force;

  model PositionSource "A position from an input"
    Flange a;
    input SI.Position u;
  equation
    a.s = u;
    annotation(Documentation(info =
      "a.s = u, whatever the force. u must have a second derivative where masses follow."));
  end PositionSource;

  model SpeedSource "A speed from an input"
    Flange a;
    input SI.Velocity u;
    SI.Position s(start = 0, fixed = true);
  equation
    der(s) = u;
    a.s = s;
    annotation(Documentation(info = "d(a.s)/dt = u, whatever the force."));
  end SpeedSource;

  model Stop "Pushes back elastically outside its limits, never pulls"
    Flange a;
    parameter SI.Position low = -1, high = 1 "limits";
    parameter Real c(unit = "N/m") = 1e6 "stiffness";
    parameter Real d(unit = "N.s/m") = 100 "damping";
    SI.Velocity v;
    SI.Force f "on the flange";
  equation
    v = der(a.s);
    f = if a.s > high then min(0, -c*(a.s - high) - d*v) else if a.s < low then max(0, -c*(a.s - low) - d*v)
      else 0;
    a.f = -f;
    annotation(Documentation(info =
      "Above high f = min(0, -c (s - high) - d v), below low f = max(0, -c (s - low) - d v), else 0 (Kelvin and
      Voigt; the limits keep it from pulling when it lets go)."));
  end Stop;

  partial model DryFriction
    "Friction that sticks: the state follows the curve parameter sa (Otter, Elmqvist and Mattsson 1999)"
    Real v(start = 0, unit = "m/s") "relative speed";
    Real a "relative acceleration";
    Real f(unit = "N") "friction";
    Real sliding(unit = "N") "friction while sliding, at this speed";
    Real breakaway(unit = "N") "friction that can hold";
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

  model Friction "Dry friction between two flanges"
    extends DryFriction;
    Flange one, two;
    parameter SI.Force Fc = 1 "Coulomb friction";
    parameter Real peak = 1 "holds up to this many times the Coulomb friction";
    parameter Real d(unit = "N.s/m") = 0 "viscous part";
  equation
    v = der(two.s) - der(one.s);
    a = der(v);
    free = false;
    sliding = Fc + d*abs(v);
    breakaway = peak*Fc;
    two.f = f;
    one.f = -f;
    annotation(Documentation(info =
      "Sliding: |f| = Fc + d |v|, against the speed. Sticking: v = 0 holds exactly while |f| <= peak Fc."));
  end Friction;

  model MassOnIncline "A mass on a slope with dry friction, m dv/dt = m g sin(angle) + force - friction"
    extends DryFriction;
    Flange flange;
    parameter SI.Mass m = 1 "mass";
    parameter SI.Angle angle = 0.3 "slope";
    parameter Real mu = 0.5 "friction coefficient";
    parameter SI.Acceleration g = 9.81;
    SI.Position s(start = 0);
  equation
    v = der(s);
    a = der(v);
    flange.s = s;
    free = false;
    sliding = mu*m*g*cos(angle);
    breakaway = sliding;
    m*a = m*g*sin(angle) + flange.f - f;
    annotation(Documentation(info =
      "m dv/dt = m g sin(angle) + flange.f - f; sliding |f| = mu m g cos(angle), sticking up to the same. It
      sticks on its own below angle = atan(mu) (Coulomb 1785)."));
  end MassOnIncline;

  model PositionSensor "Measures a position, holds nothing"
    Flange a;
    output SI.Position s;
  equation
    a.f = 0;
    s = a.s;
    annotation(Documentation(info = "s = a.s, without force."));
  end PositionSensor;

  model SpeedSensor "Measures a speed, holds nothing"
    Flange a;
    output SI.Velocity v;
  equation
    a.f = 0;
    v = der(a.s);
    annotation(Documentation(info = "v = d(a.s)/dt, without force."));
  end SpeedSensor;

  model ForceSensor "Measures a force, moves with what it joins"
    Flange a, b;
    output SI.Force f;
  equation
    a.s = b.s;
    a.f + b.f = 0;
    f = a.f;
    annotation(Documentation(info = "f = force that goes from a to b; both are at one place."));
  end ForceSensor;
end Translational;
