/** Rigid bodies in a plane and in space. */
export const planar = `
package Planar "Rigid bodies in a plane, closed loops included: position, angle, force, torque at frames"
  import SI = Modelica.Units.SI;
  connector Frame "A place on a body" SI.Position x, y; SI.Angle phi; flow SI.Force fx, fy; flow SI.Torque t; end Frame;
  model World "Held still; gravity acts on all bodies" Frame b; parameter SI.Acceleration g = 9.81 "downwards, along -y"; equation b.x = 0; b.y = 0; b.phi = 0; end World;
  model Bar "A rigid arm from a to b, without mass" Frame a, b; parameter SI.Length dx = 1, dy = 0 "from a to b, along the axes of a"; SI.Length rx, ry;
  equation rx = cos(a.phi)*dx - sin(a.phi)*dy; ry = sin(a.phi)*dx + cos(a.phi)*dy; b.x = a.x + rx; b.y = a.y + ry; b.phi = a.phi; a.fx + b.fx = 0; a.fy + b.fy = 0; a.t + b.t + rx*b.fy - ry*b.fx = 0; protected Shapes.Box look(r = {a.x + rx/2, a.y + ry/2, 0}, turn = {0, 0, a.phi + atan2(dy, dx)}, size = {sqrt(dx^2 + dy^2), 0.03*sqrt(dx^2 + dy^2), 0.03*sqrt(dx^2 + dy^2)}); end Bar;
  model Body "m dv/dt = force, J dw/dt = torque about the centre of mass, which is the frame" Frame a; parameter SI.Mass m = 1; parameter SI.Inertia J = 0.01; parameter SI.Acceleration g = 9.81; SI.Velocity vx, vy; SI.AngularVelocity w;
  equation vx = der(a.x); vy = der(a.y); w = der(a.phi); m*der(vx) = a.fx; m*der(vy) = a.fy - m*g; J*der(w) = a.t; end Body;
  model Revolute "A pin: b turns about a" Frame a, b; SI.Angle phi(start = 0); SI.AngularVelocity w(start = 0); input SI.Torque drive(start = 0) "torque from a on b"; equation b.x = a.x; b.y = a.y; b.phi = a.phi + phi; w = der(phi); a.fx + b.fx = 0; a.fy + b.fy = 0; a.t + b.t = 0; b.t = -drive; end Revolute;
  model Prismatic "A slide along an axis of a" Frame a, b; parameter Real ex = 1, ey = 0 "direction"; SI.Position s(start = 0); SI.Velocity v(start = 0); input SI.Force drive(start = 0); Real dx, dy;
  equation dx = cos(a.phi)*ex - sin(a.phi)*ey; dy = sin(a.phi)*ex + cos(a.phi)*ey; b.x = a.x + dx*s; b.y = a.y + dy*s; b.phi = a.phi; v = der(s); a.fx + b.fx = 0; a.fy + b.fy = 0; a.t + b.t + s*(dx*b.fy - dy*b.fx) = 0; dx*b.fx + dy*b.fy = -drive; end Prismatic;
  model SpringDamper "A line force between two frames: f = c (l - length) + d dl/dt" Frame a, b; parameter Real c(unit = "N/m") = 1000, d(unit = "N.s/m") = 1; parameter SI.Length length = 0; SI.Length l; SI.Force f "pulls the frames together"; Real ux, uy;
  equation l = sqrt((b.x - a.x)^2 + (b.y - a.y)^2 + 1e-24); ux = (b.x - a.x)/l; uy = (b.y - a.y)/l; f = c*(l - length) + d*der(l); b.fx = f*ux; b.fy = f*uy; a.fx = -f*ux; a.fy = -f*uy; a.t = 0; b.t = 0; end SpringDamper;
end Planar;
`;

export const spatial = `
package Spatial "Rigid bodies in space, in tree structures: position, orientation, force, torque at frames"
  import SI = Modelica.Units.SI;
  connector Frame "A place on a body; R turns vectors of the world into those of the frame" SI.Position r[3] "in the world"; Real R[3, 3]; flow SI.Force f[3] "along the axes of the frame"; flow SI.Torque t[3] "along the axes of the frame"; end Frame;
  model World "Held still" Frame b; equation b.r = zeros(3); b.R = identity(3); end World;
  model FixedTranslation "A rigid arm from a to b" Frame a, b; parameter SI.Length d[3] = {1, 0, 0} "from a to b, along the axes of a"; equation b.r = a.r + transpose(a.R)*d; b.R = a.R; a.f + b.f = zeros(3); a.t + b.t + cross(d, b.f) = zeros(3); end FixedTranslation;
  model FixedRotation "b is turned against a about an axis" Frame a, b; parameter Real n[3] = {0, 0, 1} "axis of length 1"; parameter SI.Angle angle = 0; parameter Real Q[3, 3] = outerProduct(n, n) + (identity(3) - outerProduct(n, n))*cos(angle) - skew(n)*sin(angle);
  equation b.r = a.r; b.R = Q*a.R; a.f + transpose(Q)*b.f = zeros(3); a.t + transpose(Q)*b.t = zeros(3); end FixedRotation;
  model Revolute "A hinge: b turns about an axis of a (Rodrigues 1840)" Frame a, b; parameter Real n[3] = {0, 0, 1} "axis of length 1"; SI.Angle phi(start = 0); SI.AngularVelocity w(start = 0); input SI.Torque drive(start = 0) "torque from a on b"; Real Q[3, 3];
  equation w = der(phi); Q = outerProduct(n, n) + (identity(3) - outerProduct(n, n))*cos(phi) - skew(n)*sin(phi); b.r = a.r; b.R = Q*a.R; a.f + transpose(Q)*b.f = zeros(3); a.t + transpose(Q)*b.t = zeros(3); n*b.t = -drive; end Revolute;
  model Prismatic "A slide along an axis of a" Frame a, b; parameter Real n[3] = {1, 0, 0} "direction of length 1"; SI.Position s(start = 0); SI.Velocity v(start = 0); input SI.Force drive(start = 0) "force from a on b";
  equation v = der(s); b.r = a.r + transpose(a.R)*n*s; b.R = a.R; a.f + b.f = zeros(3); a.t + b.t + cross(n*s, b.f) = zeros(3); n*b.f = -drive; end Prismatic;
  model Body "Newton and Euler: m a = f, I dw/dt + w x I w = t about the centre of mass, which is the frame" Frame a; parameter SI.Mass m = 1; parameter SI.Inertia I[3, 3] = diagonal({0.01, 0.01, 0.01}); parameter SI.Acceleration g[3] = {0, -9.81, 0}; SI.Velocity v[3]; SI.AngularVelocity w[3] "along the axes of the frame";
  equation v = der(a.r); w = {a.R[3, :]*der(a.R[2, :]), a.R[1, :]*der(a.R[3, :]), a.R[2, :]*der(a.R[1, :])}; a.f = m*a.R*(der(v) - g); a.t = I*der(w) + cross(w, I*w); end Body;
  model BoxBody "A body from its size and density" extends Body(m = density*size[1]*size[2]*size[3], I = density*size[1]*size[2]*size[3]/12*diagonal({size[2]^2 + size[3]^2, size[3]^2 + size[1]^2, size[1]^2 + size[2]^2})); parameter SI.Length size[3] = {1, 0.1, 0.1} "edges along the axes of the frame"; parameter SI.Density density = 7800; protected Shapes.Box look(r = a.r, R = a.R, size = size); end BoxBody;
  model CylinderBody "A body from its size and density, its axis along x" extends Body(m = density*Modelica.Constants.pi*radius^2*length, I = density*Modelica.Constants.pi*radius^2*length*diagonal({radius^2/2, (3*radius^2 + length^2)/12, (3*radius^2 + length^2)/12})); parameter SI.Length length = 1; parameter SI.Radius radius = 0.05; parameter SI.Density density = 7800; protected Shapes.Cylinder look(r = a.r, R = a.R, length = length, radius = radius); end CylinderBody;
  model SpringDamper "A line force between two frames: f = c (l - length) + d dl/dt" Frame a, b; parameter Real c(unit = "N/m") = 1000, d(unit = "N.s/m") = 1; parameter SI.Length length = 0; SI.Length l; SI.Force f; Real e[3], u[3];
  equation e = b.r - a.r; l = sqrt(e*e + 1e-24); u = e/l; f = c*(l - length) + d*der(l); b.f = b.R*u*f; a.f = -(a.R*u)*f; a.t = zeros(3); b.t = zeros(3); end SpringDamper;
  model PositionSensor Frame a; output SI.Position r[3]; equation a.f = zeros(3); a.t = zeros(3); r = a.r; end PositionSensor;
end Spatial;
`;
