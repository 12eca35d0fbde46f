package Thermal "Heat: temperatures and heat flows at ports"
  import SI = Modelica.Units.SI;

  connector Port "A place where heat enters a part"
    SI.Temperature T "temperature";
    flow SI.HeatFlowRate Q "heat flow into the part";
  end Port;

  partial model TwoPorts "A part between two ports"
    Port a, b;
    SI.TemperatureDifference dT "a.T - b.T";
    SI.HeatFlowRate Q "from a to b";
  equation
    dT = a.T - b.T;
    a.Q = Q;
    b.Q = -Q;
  end TwoPorts;

  model Capacity "C dT/dt = Q"
    Port port;
    parameter SI.HeatCapacity C = 100 "heat capacity";
    SI.Temperature T(start = 293.15);
  equation
    T = port.T;
    C*der(T) = port.Q;
    annotation(Documentation(info =
      "C dT/dt = Q: one temperature all through, which is right where the Biot number is small (below 0.1)."));
  end Capacity;

  model Conductor "Q = G (a.T - b.T)"
    extends TwoPorts;
    parameter SI.ThermalConductance G = 1 "conductance";
  equation
    Q = G*dT;
    annotation(Documentation(info =
      "Q = G (a.T - b.T). A wall of area A and thickness s has G = lambda A/s (Fourier 1822)."));
  end Conductor;

  model Resistor "a.T - b.T = R Q"
    extends TwoPorts;
    parameter SI.ThermalResistance R = 1 "resistance";
  equation
    dT = R*Q;
    annotation(Documentation(info = "a.T - b.T = R Q."));
  end Resistor;

  model Convection "Q = h A (a.T - b.T), with h from an input"
    extends TwoPorts;
    parameter SI.Area A = 1 "area";
    input Real h(start = 10, unit = "W/(m2.K)") "heat transfer";
  equation
    Q = h*A*dT;
    annotation(Documentation(info = "Q = h A (a.T - b.T) (Newton 1701)."));
  end Convection;

  model Radiation "Q = sigma eps A (a.T^4 - b.T^4) (Stefan 1879, Boltzmann 1884)"
    extends TwoPorts;
    parameter SI.Area A = 1 "area";
    parameter Real eps = 1 "emissivity of both together";
  equation
    Q = Modelica.Constants.sigma*eps*A*(a.T^4 - b.T^4);
    annotation(Documentation(info =
      "Q = sigma eps A (a.T^4 - b.T^4) (Stefan 1879, Boltzmann 1884). For a small body in large surroundings
      eps is its own emissivity."));
  end Radiation;

  model ConstantTemperature "T given"
    Port port;
    parameter SI.Temperature T = 293.15;
  equation
    port.T = T;
    annotation(Documentation(info = "port.T = T, whatever the heat flow."));
  end ConstantTemperature;

  model DrivenTemperature "T from an input"
    Port port;
    input SI.Temperature u(start = 293.15);
  equation
    port.T = u;
    annotation(Documentation(info = "port.T = u, whatever the heat flow."));
  end DrivenTemperature;

  model HeatSource "Q from an input"
    Port port;
    input SI.HeatFlowRate u "into what is linked";
  equation
    port.Q = -u;
    annotation(Documentation(info = "The part that is linked takes up u, whatever its temperature."));
  end HeatSource;

  model TemperatureSensor "Measures a temperature, takes no heat"
    Port port;
    output SI.Temperature T;
  equation
    port.Q = 0;
    T = port.T;
    annotation(Documentation(info = "T = port.T, without heat flow."));
  end TemperatureSensor;

  model HeatFlowSensor "Measures a heat flow, holds no temperature"
    Port a, b;
    output SI.HeatFlowRate Q;
  equation
    a.T = b.T;
    a.Q + b.Q = 0;
    Q = a.Q;
    annotation(Documentation(info = "Q = heat flow from a to b; both have one temperature."));
  end HeatFlowSensor;
end Thermal;
