package Shapes "Bodies to look at: they follow quantities, and nothing depends on them"
  import SI = Modelica.Units.SI;

  partial model Shape
    "A body at a place: its middle at r + transpose(R)*at, turned about the x, then the y, then the z axis of its frame, and with the frame as R says"
    SI.Position r[3] = {0, 0, 0} "place of the frame it is fixed to";
    Real R[3, 3] = identity(3) "turns vectors of the world into those of the frame";
    SI.Position at[3] = {0, 0, 0} "its middle, along the axes of the frame";
    SI.Angle turn[3] = {0, 0, 0} "turned about x, then y, then z";
    Real colour[3] = {0.58, 0.63, 0.61} "red, green and blue, from 0 to 1";
    Boolean shown = true "can be seen";
    annotation(Documentation(info =
      "The middle is at r + transpose(R) at. The body is turned about the x, then the y, then the z axis of its
      frame, and with the frame as R says."));
  end Shape;

  model Box "A box from its three edges"
    extends Shape;
    SI.Length size[3] = {0.1, 0.1, 0.1} "along x, y and z";
    annotation(Documentation(info = "Edges size along x, y and z."));
  end Box;

  model Cylinder "A cylinder along its x axis"
    extends Shape;
    SI.Length length = 0.1 "along x";
    SI.Length radius = 0.05 "radius";
    annotation(Documentation(info = "Its axis is x, its middle half way."));
  end Cylinder;

  model Cone "A cone along its x axis, cut off where its tip has a radius"
    extends Shape;
    SI.Length length = 0.1 "along x";
    SI.Length radius = 0.05 "radius at its foot";
    SI.Length tip = 0 "radius at its end";
    annotation(Documentation(info = "Its axis is x, its middle half way between foot and end."));
  end Cone;

  model Sphere "A ball"
    extends Shape;
    SI.Length radius = 0.05 "radius";
    annotation(Documentation(info = "A ball of the given radius."));
  end Sphere;

  model Line "A line from r to another place"
    extends Shape;
    SI.Position to[3] = {0.1, 0, 0} "its other end";
    annotation(Documentation(info = "From r to another place of the same frame."));
  end Line;

  model Mount "Moves and turns all shapes of the part it is in, and those of parts inside"
    SI.Position r[3] = {0, 0, 0} "place";
    SI.Angle turn[3] = {0, 0, 0} "turned about x, y and z";
    annotation(Documentation(info =
      "Moves and turns all shapes of the part it stands in, and those of parts inside."));
  end Mount;
end Shapes;
