package Planar "Rigid bodies in a plane, closed loops included: position, angle, force, torque at frames"
  import SI = Modelica.Units.SI;

  connector Frame "A place on a body"
    SI.Position x, y;
    SI.Angle phi;
    flow SI.Force fx, fy;
    flow SI.Torque t;
  end Frame;

  model Ground "Held still; gravity acts on all bodies"
    Frame b;
    parameter SI.Acceleration g = 9.81 "downwards, along -y";
  equation
    b.x = 0;
    b.y = 0;
    b.phi = 0;
    annotation(Documentation(info = "b.x = b.y = b.phi = 0."));
  end Ground;

  model Bar "A rigid arm from a to b, without mass"
    Frame a, b;
    parameter SI.Length dx = 1, dy = 0 "from a to b, along the axes of a";
    SI.Length rx, ry;
  equation
    rx = cos(a.phi)*dx - sin(a.phi)*dy;
    ry = sin(a.phi)*dx + cos(a.phi)*dy;
    b.x = a.x + rx;
    b.y = a.y + ry;
    b.phi = a.phi;
    a.fx + b.fx = 0;
    a.fy + b.fy = 0;
    a.t + b.t + rx*b.fy - ry*b.fx = 0;
  protected
    Shapes.Box look(r = {a.x + rx/2, a.y + ry/2, 0}, turn = {0, 0, a.phi + atan2(dy, dx)}, size =
      {sqrt(dx^2 + dy^2), 0.03*sqrt(dx^2 + dy^2), 0.03*sqrt(dx^2 + dy^2)});
    annotation(Documentation(info =
      "(rx, ry) = (dx, dy) turned by a.phi; b = a + (rx, ry), b.phi = a.phi; forces and torques in balance
      about a."));
  end Bar;

  model Body "m dv/dt = force, J dw/dt = torque about the centre of mass, which is the frame"
    Frame a;
    parameter SI.Mass m = 1;
    parameter SI.Inertia J = 0.01;
    parameter SI.Acceleration g = 9.81;
    SI.Velocity vx, vy;
    SI.AngularVelocity w;
  equation
    vx = der(a.x);
    vy = der(a.y);
    w = der(a.phi);
    m*der(vx) = a.fx;
    m*der(vy) = a.fy - m*g;
    J*der(w) = a.t;
    annotation(Documentation(info =
      "m d2x/dt2 = fx, m d2y/dt2 = fy - m g, J d2phi/dt2 = t (Newton 1687, Euler 1765)."));
  end Body;

  model Revolute "A pin: b turns about a"
    Frame a, b;
    SI.Angle phi(start = 0);
    SI.AngularVelocity w(start = 0);
    input SI.Torque drive(start = 0) "torque from a on b";
  equation
    b.x = a.x;
    b.y = a.y;
    b.phi = a.phi + phi;
    w = der(phi);
    a.fx + b.fx = 0;
    a.fy + b.fy = 0;
    a.t + b.t = 0;
    b.t = -drive;
    annotation(Documentation(info = "b is where a is, b.phi = a.phi + phi; forces pass, b.t = -drive."));
  end Revolute;

  model Prismatic "A slide along an axis of a"
    Frame a, b;
    parameter Real ex = 1, ey = 0 "direction";
    SI.Position s(start = 0);
    SI.Velocity v(start = 0);
    input SI.Force drive(start = 0);
    Real dx, dy;
  equation
    dx = cos(a.phi)*ex - sin(a.phi)*ey;
    dy = sin(a.phi)*ex + cos(a.phi)*ey;
    b.x = a.x + dx*s;
    b.y = a.y + dy*s;
    b.phi = a.phi;
    v = der(s);
    a.fx + b.fx = 0;
    a.fy + b.fy = 0;
    a.t + b.t + s*(dx*b.fy - dy*b.fx) = 0;
    dx*b.fx + dy*b.fy = -drive;
    annotation(Documentation(info =
      "(dx, dy) = (ex, ey) turned by a.phi; b = a + s (dx, dy), b.phi = a.phi; along the axis b gets -drive.
      (ex, ey) has length 1."));
  end Prismatic;

  model SpringDamper "A line force between two frames: f = c (l - length) + d dl/dt"
    Frame a, b;
    parameter Real c(unit = "N/m") = 1000, d(unit = "N.s/m") = 1;
    parameter SI.Length length = 0;
    SI.Length l;
    SI.Force f "pulls the frames together";
    Real ux, uy;
  equation
    l = sqrt((b.x - a.x)^2 + (b.y - a.y)^2 + 1e-24);
    ux = (b.x - a.x)/l;
    uy = (b.y - a.y)/l;
    f = c*(l - length) + d*der(l);
    b.fx = f*ux;
    b.fy = f*uy;
    a.fx = -f*ux;
    a.fy = -f*uy;
    a.t = 0;
    b.t = 0;
    annotation(Documentation(info = "f = c (l - length) + d dl/dt along the line from a to b, l its length."));
  end SpringDamper;
end Planar;
