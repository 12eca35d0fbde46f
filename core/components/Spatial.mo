package Spatial "Rigid bodies in space, in tree structures: position, orientation, force, torque at frames"
  import SI = Modelica.Units.SI;

  connector Frame "A place on a body; R turns vectors of the world into those of the frame"
    SI.Position r[3] "in the world";
    Real R[3, 3];
    flow SI.Force f[3] "along the axes of the frame";
    flow SI.Torque t[3] "along the axes of the frame";
  end Frame;

  model Ground "Held still"
    Frame b;
  equation
    b.r = zeros(3);
    b.R = identity(3);
    annotation(Documentation(info = "b.r = 0, b.R = identity."));
  end Ground;

  model Arm "A rigid arm from a to b"
    Frame a, b;
    parameter SI.Length d[3] = {1, 0, 0} "from a to b, along the axes of a";
  equation
    b.r = a.r + transpose(a.R)*d;
    b.R = a.R;
    a.f + b.f = zeros(3);
    a.t + b.t + cross(d, b.f) = zeros(3);
    annotation(Documentation(info =
      "b.r = a.r + transpose(a.R) d, b.R = a.R; forces and torques in balance about a."));
  end Arm;

  model Turn "b is turned against a about an axis"
    Frame a, b;
    parameter Real n[3] = {0, 0, 1} "axis of length 1";
    parameter SI.Angle angle = 0;
    parameter Real Q[3, 3] = outerProduct(n, n) + (identity(3) - outerProduct(n, n))*cos(angle)
      - skew(n)*sin(angle);
  equation
    b.r = a.r;
    b.R = Q*a.R;
    a.f + transpose(Q)*b.f = zeros(3);
    a.t + transpose(Q)*b.t = zeros(3);
    annotation(Documentation(info =
      "b.R = Q a.R with Q = n n' + (1 - n n') cos(angle) - skew(n) sin(angle) (Rodrigues 1840)."));
  end Turn;

  model Revolute "A hinge: b turns about an axis of a (Rodrigues 1840)"
    Frame a, b;
    parameter Real n[3] = {0, 0, 1} "axis of length 1";
    SI.Angle phi(start = 0);
    SI.AngularVelocity w(start = 0);
    input SI.Torque drive(start = 0) "torque from a on b";
    Real Q[3, 3];
  equation
    w = der(phi);
    Q = outerProduct(n, n) + (identity(3) - outerProduct(n, n))*cos(phi) - skew(n)*sin(phi);
    b.r = a.r;
    b.R = Q*a.R;
    a.f + transpose(Q)*b.f = zeros(3);
    a.t + transpose(Q)*b.t = zeros(3);
    n*b.t = -drive;
    annotation(Documentation(info =
      "b.R = Q a.R with Q = n n' + (1 - n n') cos(phi) - skew(n) sin(phi) (Rodrigues 1840); forces pass, the
      torque along n is the drive."));
  end Revolute;

  model Prismatic "A slide along an axis of a"
    Frame a, b;
    parameter Real n[3] = {1, 0, 0} "direction of length 1";
    SI.Position s(start = 0);
    SI.Velocity v(start = 0);
    input SI.Force drive(start = 0) "force from a on b";
  equation
    v = der(s);
    b.r = a.r + transpose(a.R)*n*s;
    b.R = a.R;
    a.f + b.f = zeros(3);
    a.t + b.t + cross(n*s, b.f) = zeros(3);
    n*b.f = -drive;
    annotation(Documentation(info = "b.r = a.r + transpose(a.R) n s, b.R = a.R; the force along n is the drive."));
  end Prismatic;

  model Body "Newton and Euler: m a = f, I dw/dt + w x I w = t about the centre of mass, which is the frame"
    Frame a;
    parameter SI.Mass m = 1;
    parameter SI.Inertia I[3, 3] = diagonal({0.01, 0.01, 0.01});
    parameter SI.Acceleration g[3] = {0, -9.81, 0};
    SI.Velocity v[3];
    SI.AngularVelocity w[3] "along the axes of the frame";
  equation
    v = der(a.r);
    w = {a.R[3, :]*der(a.R[2, :]), a.R[1, :]*der(a.R[3, :]), a.R[2, :]*der(a.R[1, :])};
    a.f = m*a.R*(der(v) - g);
    a.t = I*der(w) + cross(w, I*w);
    annotation(Documentation(info =
      "f = m R (dv/dt - g), t = I dw/dt + w x I w about the centre of mass, along the axes of the frame (Newton
      1687, Euler 1758)."));
  end Body;

  model BoxBody "A body from its size and density"
    extends Body(m = density*size[1]*size[2]*size[3], I =
      density*size[1]*size[2]*size[3]/12*diagonal({size[2]^2 + size[3]^2, size[3]^2 + size[1]^2, size[1]^2
        + size[2]^2}));
    parameter SI.Length size[3] = {1, 0.1, 0.1} "edges along the axes of the frame";
    parameter SI.Density density = 7800;
  protected
    Shapes.Box look(r = a.r, R = a.R, size = size);
    annotation(Documentation(info =
      "m = density times volume; I = m/12 diag(y^2 + z^2, z^2 + x^2, x^2 + y^2) for the edges x, y, z."));
  end BoxBody;

  model CylinderBody "A body from its size and density, its axis along x"
    extends Body(m = density*Modelica.Constants.pi*radius^2*length, I =
      density*Modelica.Constants.pi*radius^2*length*diagonal({radius^2/2, (3*radius^2 + length^2)/12,
        (3*radius^2 + length^2)/12}));
    parameter SI.Length length = 1;
    parameter SI.Radius radius = 0.05;
    parameter SI.Density density = 7800;
  protected
    Shapes.Cylinder look(r = a.r, R = a.R, length = length, radius = radius);
    annotation(Documentation(info =
      "m = density pi radius^2 length; I = m diag(radius^2/2, (3 radius^2 + length^2)/12, the same) with the
      axis along x."));
  end CylinderBody;

  model SpringDamper "A line force between two frames: f = c (l - length) + d dl/dt"
    Frame a, b;
    parameter Real c(unit = "N/m") = 1000, d(unit = "N.s/m") = 1;
    parameter SI.Length length = 0;
    SI.Length l;
    SI.Force f;
    Real e[3], u[3];
  equation
    e = b.r - a.r;
    l = sqrt(e*e + 1e-24);
    u = e/l;
    f = c*(l - length) + d*der(l);
    b.f = b.R*u*f;
    a.f = -(a.R*u)*f;
    a.t = zeros(3);
    b.t = zeros(3);
    annotation(Documentation(info = "f = c (l - length) + d dl/dt along the line from a to b, l its length."));
  end SpringDamper;

  model PositionSensor "Measures a position, holds nothing"
    Frame a;
    output SI.Position r[3];
  equation
    a.f = zeros(3);
    a.t = zeros(3);
    r = a.r;
    annotation(Documentation(info = "r = a.r, without force or torque."));
  end PositionSensor;
end Spatial;
