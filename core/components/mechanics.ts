/** Motion along a line and about an axis. */
const friction = (speed: string, force: string): string => `
  partial model DryFriction "Friction that sticks: the state follows the curve parameter sa (Otter, Elmqvist and Mattsson 1999)"
    Real v(start = 0, unit = "${speed}") "relative speed"; Real a "relative acceleration"; Real f(unit = "${force}") "friction"; Real sliding(unit = "${force}") "friction while sliding, at this speed"; Real breakaway(unit = "${force}") "friction that can hold";
    Boolean free "no contact"; Boolean locked(start = false) "sticks"; Integer mode(start = 3) "1 forwards, 0 stuck, -1 backwards, 2 free, 3 not known yet";
  protected Real sa "along the curve"; Boolean forward(start = false), backward(start = false);
  equation
    forward = pre(mode) == 0 and (sa > breakaway or pre(forward) and sa > sliding) or pre(mode) == -1 and sa > breakaway or initial() and v > 0;
    backward = pre(mode) == 0 and (sa < -breakaway or pre(backward) and sa < -sliding) or pre(mode) == 1 and sa < -breakaway or initial() and v < 0;
    locked = not free and not (pre(mode) == 1 or forward or pre(mode) == -1 or backward);
    a = if locked then 0 else if free then sa else if forward then sa - breakaway else if backward then sa + breakaway else if pre(mode) == 1 then sa - breakaway else sa + breakaway;
    f = if locked then sa else if free then 0 else if forward then sliding else if backward then -sliding else if pre(mode) == 1 then sliding else -sliding;
    mode = if free then 2 else if (pre(mode) == 1 or pre(mode) == 2 or pre(mode) == 3 or forward) and v > 0 then 1 else if (pre(mode) == -1 or pre(mode) == 2 or pre(mode) == 3 or backward) and v < 0 then -1 else 0;
  end DryFriction;`;

export const translational = `
package Translational "Motion along a line: positions and forces at flanges"
  import SI = Modelica.Units.SI;
  connector Flange "A place where a part is held" SI.Position s "position"; flow SI.Force f "force on the part"; end Flange;
  partial model TwoFlanges "A part between two flanges" Flange a, b; SI.Length rel "b.s - a.s"; SI.Force f "force between them, positive when pulled apart"; equation rel = b.s - a.s; b.f = f; a.f = -f; end TwoFlanges;
  model Fixed "Held still" Flange a; parameter SI.Position s = 0 "position"; equation a.s = s; end Fixed;
  model Mass "m dv/dt = sum of forces" Flange a, b; parameter SI.Mass m = 1 "mass"; SI.Position s; SI.Velocity v(start = 0); SI.Acceleration acc; equation s = a.s; s = b.s; v = der(s); acc = der(v); m*acc = a.f + b.f; end Mass;
  model Spring "f = c (rel - length)" extends TwoFlanges; parameter Real c(unit = "N/m") = 1000 "stiffness"; parameter SI.Length length = 0 "unstretched"; equation f = c*(rel - length); end Spring;
  model Damper "f = d d(rel)/dt" extends TwoFlanges; parameter Real d(unit = "N.s/m") = 10 "damping"; SI.Velocity v; SI.Power loss; equation v = der(rel); f = d*v; loss = f*v; end Damper;
  model SpringDamper "Spring and damper side by side" extends TwoFlanges; parameter Real c(unit = "N/m") = 1000 "stiffness"; parameter Real d(unit = "N.s/m") = 10 "damping"; parameter SI.Length length = 0 "unstretched"; SI.Velocity v; equation v = der(rel); f = c*(rel - length) + d*v; end SpringDamper;
  model Force "A force from an input" Flange a; input SI.Force u "force on what is linked"; equation a.f = -u; end Force;
  model PositionSource "A position from an input" Flange a; input SI.Position u; equation a.s = u; end PositionSource;
  model SpeedSource "A speed from an input" Flange a; input SI.Velocity u; SI.Position s(start = 0, fixed = true); equation der(s) = u; a.s = s; end SpeedSource;
  model Stop "Pushes back elastically outside its limits, never pulls" Flange a; parameter SI.Position low = -1, high = 1 "limits"; parameter Real c(unit = "N/m") = 1e6 "stiffness"; parameter Real d(unit = "N.s/m") = 100 "damping"; SI.Velocity v; SI.Force f "on the flange";
  equation v = der(a.s); f = if a.s > high then min(0, -c*(a.s - high) - d*v) else if a.s < low then max(0, -c*(a.s - low) - d*v) else 0; a.f = -f; end Stop;
  ${friction('m/s', 'N')}
  model Friction "Dry friction between two flanges" extends DryFriction; Flange one, two; parameter SI.Force Fc = 1 "Coulomb friction"; parameter Real peak = 1 "holds up to this many times the Coulomb friction"; parameter Real d(unit = "N.s/m") = 0 "viscous part";
  equation v = der(two.s) - der(one.s); a = der(v); free = false; sliding = Fc + d*abs(v); breakaway = peak*Fc; two.f = f; one.f = -f; end Friction;
  model MassOnIncline "A mass on a slope with dry friction, m dv/dt = m g sin(angle) + force - friction" extends DryFriction; Flange flange; parameter SI.Mass m = 1 "mass"; parameter SI.Angle angle = 0.3 "slope"; parameter Real mu = 0.5 "friction coefficient"; parameter SI.Acceleration g = 9.81; SI.Position s(start = 0);
  equation v = der(s); a = der(v); flange.s = s; free = false; sliding = mu*m*g*cos(angle); breakaway = sliding; m*a = m*g*sin(angle) + flange.f - f; end MassOnIncline;
  model PositionSensor Flange a; output SI.Position s; equation a.f = 0; s = a.s; end PositionSensor;
  model SpeedSensor Flange a; output SI.Velocity v; equation a.f = 0; v = der(a.s); end SpeedSensor;
  model ForceSensor Flange a, b; output SI.Force f; equation a.s = b.s; a.f + b.f = 0; f = a.f; end ForceSensor;
end Translational;
`;

export const rotational = `
package Rotational "Motion about an axis: angles and torques at flanges"
  import SI = Modelica.Units.SI;
  connector Flange "An end of a shaft" SI.Angle phi "angle"; flow SI.Torque tau "torque on the part"; end Flange;
  partial model TwoFlanges "A part between two shafts" Flange a, b; SI.Angle rel "b.phi - a.phi"; SI.Torque tau "torque between them"; equation rel = b.phi - a.phi; b.tau = tau; a.tau = -tau; end TwoFlanges;
  model Fixed "Held still" Flange a; parameter SI.Angle phi = 0; equation a.phi = phi; end Fixed;
  model Inertia "J dw/dt = sum of torques" Flange a, b; parameter SI.Inertia J = 1 "moment of inertia"; SI.Angle phi; SI.AngularVelocity w(start = 0); SI.AngularAcceleration acc; equation phi = a.phi; phi = b.phi; w = der(phi); acc = der(w); J*acc = a.tau + b.tau; end Inertia;
  model Spring "tau = c (rel - rest)" extends TwoFlanges; parameter Real c(unit = "N.m/rad") = 100 "stiffness"; parameter SI.Angle rest = 0; equation tau = c*(rel - rest); end Spring;
  model Damper "tau = d d(rel)/dt" extends TwoFlanges; parameter Real d(unit = "N.m.s/rad") = 1 "damping"; SI.AngularVelocity w; equation w = der(rel); tau = d*w; end Damper;
  model SpringDamper "Spring and damper side by side" extends TwoFlanges; parameter Real c(unit = "N.m/rad") = 100 "stiffness"; parameter Real d(unit = "N.m.s/rad") = 1 "damping"; SI.AngularVelocity w; equation w = der(rel); tau = c*rel + d*w; end SpringDamper;
  model Gear "a.phi = ratio b.phi; what is lost on the way is 1 - eta of the power, whichever way it flows" Flange a, b; parameter Real ratio = 1 "speed of a over that of b"; parameter Real eta = 1 "efficiency"; SI.AngularVelocity w; SI.Power power "into a"; protected Boolean driving "power flows from a to b";
  equation a.phi = ratio*b.phi; w = der(a.phi); power = a.tau*w; driving = power >= 0; b.tau = -ratio*a.tau*(if driving then eta else 1/eta); end Gear;
  model IdealGear "a.phi = ratio b.phi without loss" Flange a, b; parameter Real ratio = 1 "speed of a over that of b"; equation a.phi = ratio*b.phi; ratio*a.tau + b.tau = 0; end IdealGear;
  model ShareGear "a.phi = ratio b.phi; b gets the share of the torque, whichever way the power flows" Flange a, b; parameter Real ratio = 1 "speed of a over that of b"; parameter Real share = 1 "share of the torque that is passed on"; equation a.phi = ratio*b.phi; b.tau = -ratio*share*a.tau; end ShareGear;
  model Planetary "(1 + r) carrier = sun + r ring, r = teeth of the ring over those of the sun" Flange sun, ring, carrier; parameter Real r = 2; equation (1 + r)*carrier.phi = sun.phi + r*ring.phi; ring.tau = r*sun.tau; carrier.tau = -(1 + r)*sun.tau; end Planetary;
  model Torque "A torque from an input" Flange a; input SI.Torque u "torque on what is linked"; equation a.tau = -u; end Torque;
  model SpeedSource "A speed from an input" Flange a; input SI.AngularVelocity u; SI.Angle phi(start = 0, fixed = true); equation der(phi) = u; a.phi = phi; end SpeedSource;
  model AngleSource "An angle from an input" Flange a; input SI.Angle u; equation a.phi = u; end AngleSource;
  ${friction('rad/s', 'N.m')}
  model BearingFriction "Dry and viscous friction against the housing" extends DryFriction; Flange shaft; parameter SI.Torque Tc = 0.1 "Coulomb friction"; parameter Real peak = 1 "holds up to this many times the Coulomb friction"; parameter Real d(unit = "N.m.s/rad") = 0 "viscous part";
  equation v = der(shaft.phi); a = der(v); free = false; sliding = Tc + d*abs(v); breakaway = peak*Tc; shaft.tau = f; end BearingFriction;
  model Clutch "Dry friction between two shafts, pressed by an input from 0 to 1" extends DryFriction; Flange one, two; parameter SI.Torque Tmax = 10 "friction when pressed fully"; parameter Real peak = 1 "holds up to this many times as much"; input Real press(start = 1) "0 to 1"; SI.AngularVelocity w;
  equation w = der(two.phi) - der(one.phi); v = w; a = der(v); free = press <= 0; sliding = Tmax*max(press, 0); breakaway = peak*sliding; two.tau = f; one.tau = -f; end Clutch;
  model Brake "Dry friction against the housing, pressed by an input from 0 to 1" extends DryFriction; Flange shaft; parameter SI.Torque Tmax = 10 "friction when pressed fully"; parameter Real peak = 1; input Real press(start = 0) "0 to 1";
  equation v = der(shaft.phi); a = der(v); free = press <= 0; sliding = Tmax*max(press, 0); breakaway = peak*sliding; shaft.tau = f; end Brake;
  model AngleSensor Flange a; output SI.Angle phi; equation a.tau = 0; phi = a.phi; end AngleSensor;
  model SpeedSensor Flange a; output SI.AngularVelocity w; equation a.tau = 0; w = der(a.phi); end SpeedSensor;
  model TorqueSensor Flange a, b; output SI.Torque tau; equation a.phi = b.phi; a.tau + b.tau = 0; tau = a.tau; end TorqueSensor;
end Rotational;
`;
