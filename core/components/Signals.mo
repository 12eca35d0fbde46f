package Signals "Blocks of signal sheets: values in, a value out"

  block integrate "The integral of u over time"
    input Real u "what is integrated";
    input Boolean reset = false "holds y at start while it is true";
    parameter Real start = 0 "y at the beginning, and at a reset";
    parameter Real low = -1e300 "y goes no lower";
    parameter Real high = 1e300 "y goes no higher";
    output Real y(start = start, fixed = true);
  equation
    der(y) = if reset or y >= high and u > 0 or y <= low and u < 0 then 0 else u;
    when reset then
      reinit(y, start);
    end when;
    annotation(Documentation(info =
      "dy/dt = u, y(0) = start; dy/dt = 0 where y would leave [low, high], so that nothing winds up. While reset holds, y = start."),
      Units(y = "u*s"));
  end integrate;

  block derivative "How fast u changes, smoothed by a lag"
    input Real u "what is differentiated";
    parameter Real T(unit = "s") = 1e-3 "time constant of the lag";
    output Real y;
  protected
    Real x(start = 0);
  initial equation
    x = u;
  equation
    T*der(x) = u - x;
    y = (u - x)/T;
    annotation(Documentation(info =
      "Y/U = s/(1 + T s): the derivative below 1/T, noise above it is not amplified further. It begins at rest: y(0) = 0."),
      Units(y = "u/s"));
  end derivative;

  block lag "First-order lag: follows u with a time constant"
    input Real u;
    parameter Real T(unit = "s") = 1 "time constant";
    parameter Real start = 0 "y at the beginning";
    output Real y(start = start, fixed = true);
  equation
    T*der(y) = u - y;
    annotation(Documentation(info =
      "T dy/dt + y = u, Y/U = 1/(1 + T s): 63.2 % of a step after T. It lets slow changes pass and takes away fast ones (low pass at 1/(2 pi T))."),
      Units(y = "u"));
  end lag;

  block lag2 "Second-order lag: natural frequency and damping"
    input Real u;
    parameter Real w(unit = "rad/s") = 1 "natural frequency";
    parameter Real d = 1 "damping ratio";
    parameter Real start = 0 "y at the beginning";
    output Real y(start = start, fixed = true);
  protected
    Real v(start = 0, fixed = true);
  equation
    der(y) = v;
    der(v) = w^2*(u - y) - 2*d*w*v;
    annotation(Documentation(info =
      "Y/U = w^2/(s^2 + 2 d w s + w^2). It swings for d < 1, with the frequency w sqrt(1 - d^2); without overshoot for d >= 1."),
      Units(y = "u"));
  end lag2;

  block highPass "Takes away what is slow"
    input Real u;
    parameter Real T(unit = "s") = 1 "time constant";
    output Real y;
  protected
    Real x(start = 0);
  initial equation
    x = u;
  equation
    T*der(x) = u - x;
    y = u - x;
    annotation(Documentation(info = "Y/U = T s/(1 + T s). It begins at rest: y(0) = 0."), Units(y = "u"));
  end highPass;

  block leadLag "Lead and lag: (1 + T1 s)/(1 + T2 s)"
    input Real u;
    parameter Real T1(unit = "s") = 1 "time constant of the lead";
    parameter Real T2(unit = "s") = 0.1 "time constant of the lag";
    output Real y;
  protected
    Real x(start = 0);
  initial equation
    x = u;
  equation
    T2*der(x) = u - x;
    y = x + T1/T2*(u - x);
    annotation(Documentation(info =
      "Y/U = (1 + T1 s)/(1 + T2 s). For T1 > T2 it raises the phase, most at 1/sqrt(T1 T2). It begins at rest: y(0) = u(0)."),
      Units(y = "u"));
  end leadLag;

  block notch "Takes one frequency out"
    input Real u;
    parameter Real w(unit = "rad/s") = 100 "frequency that is taken out";
    parameter Real depth = 0 "what is left of it: 0 nothing, 1 all";
    parameter Real width = 1 "how broad the gap is";
    output Real y;
  protected
    Real x1(start = 0), x2(start = 0);
  initial equation
    x1 = u/w^2;
    x2 = 0;
  equation
    der(x1) = x2;
    der(x2) = u - width*w*x2 - w^2*x1;
    y = u + (depth - 1)*width*w*x2;
    annotation(Documentation(info =
      "Y/U = (s^2 + depth width w s + w^2)/(s^2 + width w s + w^2): depth at w, 1 far from it. It begins at rest."),
      Units(y = "u"));
  end notch;

  block transfer "Transfer function: polynomials in s, highest power first"
    input Real u;
    parameter Real b[:] = {1} "numerator";
    parameter Real a[:] = {1, 1} "denominator";
    output Real y;
  protected
    parameter Integer n = size(a, 1) - 1;
    parameter Integer m = size(b, 1) - 1;
    parameter Real bb[n + 1] = {(if k + m - n >= 1 then b[max(1, min(m + 1, k + m - n))] else 0)/a[1] for k in 1:n + 1};
    Real x[n](each start = 0, each fixed = true);
  equation
    assert(m <= n, "The numerator of a transfer function has no higher power than its denominator");
    if n > 0 then
      der(x[1:n - 1]) = x[2:n];
      der(x[n]) = u - sum(a[n + 2 - k]/a[1]*x[k] for k in 1:n);
      y = bb[1]*u + sum((bb[n + 2 - k] - a[n + 2 - k]/a[1]*bb[1])*x[k] for k in 1:n);
    else
      y = bb[1]*u;
    end if;
    annotation(Documentation(info =
      "Y/U = (b[1] s^m + ... + b[m+1])/(a[1] s^n + ... + a[n+1]) with m <= n, in controllable canonical form (Kailath 1980, section 2.1). It begins at rest with u = 0."));
  end transfer;

  block stateSpace "Linear equations with states: dx/dt = A x + B u, y = C x + D u"
    input Real u;
    parameter Real A[:, :] = [-1];
    parameter Real B[:] = {1};
    parameter Real C[:] = {1};
    parameter Real D = 0;
    parameter Real start[size(A, 1)] = zeros(size(A, 1)) "x at the beginning";
    output Real y;
  protected
    Real x[size(A, 1)](start = start, each fixed = true);
  equation
    der(x) = A*x + B*u;
    y = C*x + D*u;
    annotation(Documentation(info = "dx/dt = A x + B u, y = C x + D u (Kalman 1960), one input and one output."));
  end stateSpace;

  block transportDelay "What was some time ago"
    input Real u;
    parameter Real T(unit = "s") = 1 "how long ago";
    output Real y;
  equation
    assert(T >= 0, "A delay is not below zero");
    y = delay(u, T);
    annotation(Documentation(info = "y(t) = u(t - T), and u(0) before there is anything: Y/U = exp(-T s)."), Units(y = "u"));
  end transportDelay;

  block pi "Proportional and integral controller that does not wind up"
    input Real e "what is still missing: wanted minus measured";
    input Boolean reset = false "the integral begins anew";
    parameter Real k = 1 "gain";
    parameter Real Ti(unit = "s") = 1 "integral time";
    parameter Real low = -1e300 "u goes no lower";
    parameter Real high = 1e300 "u goes no higher";
    parameter Real start = 0 "integral part at the beginning";
    output Real u;
  protected
    Real i(start = start, fixed = true) "integral part";
    Real free "without limits";
  equation
    free = k*e + i;
    u = max(low, min(high, free));
    der(i) = if reset then 0 else if free > high and k*e > 0 or free < low and k*e < 0 then 0 else k*e/Ti;
    when reset then
      reinit(i, start);
    end when;
    annotation(Documentation(info =
      "u = k (e + 1/Ti integral of e), cut to [low, high]; the integral stands still while the cut-off would grow (conditional integration, Åström and Hägglund 1995)."));
  end pi;

  block pid "Proportional, integral and derivative controller"
    input Real wanted "set point";
    input Real measured;
    input Boolean manual = false "u follows by hand; the way back is without a jump";
    input Real byHand = 0 "u while manual";
    parameter Real k = 1 "gain";
    parameter Real Ti(unit = "s") = 1 "integral time";
    parameter Real Td(unit = "s") = 0 "derivative time";
    parameter Real b = 1 "weight of the set point in the proportional part";
    parameter Real c = 0 "weight of the set point in the derivative part";
    parameter Real N = 10 "the derivative is smoothed with Td/N";
    parameter Real low = -1e300 "u goes no lower";
    parameter Real high = 1e300 "u goes no higher";
    output Real u;
  protected
    parameter Real Tf = max(Td/N, 1e-9);
    Real i(start = 0, fixed = true) "integral part";
    Real x(start = 0) "smoothed, for the derivative";
    Real p, dPart, free;
  initial equation
    x = c*wanted - measured;
  equation
    p = k*(b*wanted - measured);
    Tf*der(x) = (c*wanted - measured) - x;
    dPart = k*Td*((c*wanted - measured) - x)/Tf;
    free = p + i + dPart;
    u = if manual then max(low, min(high, byHand)) else max(low, min(high, free));
    der(i) = if manual then (u - p - dPart - i)/max(Tf, 1e-3) else if free > high and k*(wanted - measured) > 0
      or free < low and k*(wanted - measured) < 0 then 0 else k/Ti*(wanted - measured);
    when not manual then
      reinit(i, max(low, min(high, byHand)) - p - dPart);
    end when;
    annotation(Documentation(info =
      "u = k (b r - y + 1/Ti integral of (r - y) + Td d/dt (c r - y) smoothed by 1 + s Td/N), cut to [low, high] with the integral standing still while the cut-off would grow; from manual it goes over without a jump (Åström and Hägglund 1995)."));
  end pid;

  block rateLimit "Follows u no faster than allowed"
    input Real u;
    parameter Real up = 1 "fastest rise per second";
    parameter Real down = up "fastest fall per second";
    parameter Real T(unit = "s") = 1e-3 "how closely it follows where it can";
    parameter Real start = 0 "y at the beginning";
    output Real y(start = start, fixed = true);
  equation
    der(y) = max(-down, min(up, (u - y)/T));
    annotation(Documentation(info = "dy/dt = (u - y)/T, cut to [-down, up]: behind u by T times its slope where that is allowed."),
      Units(y = "u"));
  end rateLimit;

  block hysteresis "Switches on above one level and off below another"
    input Real u;
    parameter Real low = -1 "off below";
    parameter Real high = 1 "on above";
    parameter Boolean start = false "at the beginning, between the levels";
    output Boolean y(start = start, fixed = true);
  equation
    y = u > high or pre(y) and u >= low;
    annotation(Documentation(info = "On when u rises above high, off when it falls below low, between them as it was."));
  end hysteresis;

  block backlash "Play in a drive: moves only when an end of the gap is met"
    input Real u;
    parameter Real gap = 1 "width of the play";
    parameter Real start = 0 "y at the beginning";
    output Real y(start = start, fixed = true);
  protected
    parameter Real T = 1e-4;
  equation
    der(y) = if u - y > gap/2 then (u - y - gap/2)/T else if u - y < -gap/2 then (u - y + gap/2)/T else 0;
    annotation(Documentation(info =
      "y stands while |u - y| < gap/2 and is pushed along at the ends of the gap, with a lag of 0.1 ms there."), Units(y = "u"));
  end backlash;

  block latch "Set by one condition, taken back by another"
    input Boolean on;
    input Boolean off;
    parameter Boolean start = false;
    output Boolean y(start = start, fixed = true);
  equation
    y = not off and (on or pre(y));
    annotation(Documentation(info = "y comes with on and goes with off; where both hold, off wins."));
  end latch;

  block counter "How often a condition came to hold"
    input Boolean u;
    input Boolean reset = false;
    output Integer y(start = 0, fixed = true);
  equation
    when {u, reset} then
      y = if reset then 0 else pre(y) + 1;
    end when;
    annotation(Documentation(info = "y grows by 1 whenever u comes to hold, and is 0 after reset came to hold."));
  end counter;

  block timer "For how long a condition has held"
    input Boolean u;
    output Real y(unit = "s", start = 0, fixed = true);
  equation
    der(y) = if u then 1 else 0;
    when not u then
      reinit(y, 0);
    end when;
    annotation(Documentation(info = "dy/dt = 1 while u holds, y = 0 where it does not."));
  end timer;

  block debounce "Follows a condition that has lasted"
    input Boolean u;
    parameter Real T(unit = "s") = 0.01 "how long it must last";
    output Boolean y(start = false, fixed = true);
  protected
    Real since(start = -1e300, fixed = true);
    Boolean rest(start = false, fixed = true) "as it was when it last changed";
  equation
    when change(u) then
      since = time;
      rest = u;
    end when;
    y = if time >= since + T then u else pre(y);
    annotation(Documentation(info = "y becomes what u is once u has been that for T; what is shorter is passed over."));
  end debounce;

  block watchdog "Tells that a sign of life has stayed away"
    input Boolean u "sign of life: each time it comes to hold";
    parameter Real T(unit = "s") = 1 "how long it may stay away";
    output Boolean y;
  protected
    Real last(start = 0, fixed = true);
  equation
    when u then
      last = time;
    end when;
    y = time > last + T;
    annotation(Documentation(info = "y holds from T after u last came to hold (or after the start) until it comes to hold again."));
  end watchdog;

  function limit "Cut to a range"
    input Real u;
    input Real low;
    input Real high;
    output Real y;
  algorithm
    y := max(low, min(high, u));
    annotation(Documentation(info = "y = max(low, min(high, u))."), Units(y = "u"));
  end limit;

  function deadZone "Nothing near zero, and what is beyond the zone outside it"
    input Real u;
    input Real low;
    input Real high;
    output Real y;
  algorithm
    y := max(0, u - high) + min(0, u - low);
    annotation(Documentation(info = "y = u - high above high, u - low below low, 0 between them."), Units(y = "u"));
  end deadZone;

  function quantise "To whole steps"
    input Real u;
    input Real step;
    output Real y;
  algorithm
    y := step*floor(u/step + 0.5);
    annotation(Documentation(info = "y = step round(u/step): at most half a step off."), Units(y = "u"));
  end quantise;

  function polynomial "Powers of u with coefficients, highest power first"
    input Real u;
    input Real c[:];
    output Real y;
  algorithm
    y := 0;
    for k in 1:size(c, 1) loop
      y := y*u + c[k];
    end for;
    annotation(Documentation(info = "y = c[1] u^(n-1) + ... + c[n], by Horner's rule."));
  end polynomial;

  block step "From one value to another at a moment"
    parameter Real at(unit = "s") = 1 "when";
    parameter Real to = 1 "value from then on";
    parameter Real from = 0 "value before";
    output Real y;
  equation
    y = if time >= at then to else from;
    annotation(Documentation(info = "y = from before at, to from at on."));
  end step;

  block ramp "A straight way from one value to another"
    parameter Real at(unit = "s") = 0 "when it begins";
    parameter Real lasts(unit = "s") = 1 "how long it takes";
    parameter Real to = 1 "value afterwards";
    parameter Real from = 0 "value before";
    output Real y;
  equation
    y = from + (to - from)*(if time < at then 0 else if time < at + lasts then (time - at)/lasts else 1);
    annotation(Documentation(info = "y = from, then straight to its end within lasts, then to."));
  end ramp;

  block pulse "On and off again and again"
    parameter Real every(unit = "s") = 1 "period";
    parameter Real width = 0.5 "share of the period in which it is on";
    parameter Real high = 1 "value while on";
    parameter Real low = 0 "value while off";
    parameter Real at(unit = "s") = 0 "when the first begins";
    output Real y;
  protected
    discrete Real begin(start = 1e300, fixed = true);
  equation
    when sample(at, every) then
      begin = time;
    end when;
    y = if time >= begin and time < begin + width*every then high else low;
    annotation(Documentation(info = "high for width times every at the beginning of each period, low for the rest."));
  end pulse;

  block sine "A sine"
    parameter Real f(unit = "Hz") = 1 "frequency";
    parameter Real amplitude = 1;
    parameter Real phase(unit = "rad") = 0;
    parameter Real offset = 0;
    output Real y;
  equation
    y = offset + amplitude*sin(2*Modelica.Constants.pi*f*time + phase);
    annotation(Documentation(info = "y = offset + amplitude sin(2 pi f t + phase)."));
  end sine;

  block chirp "A sine whose frequency rises"
    parameter Real from(unit = "Hz") = 1 "frequency at the beginning";
    parameter Real to(unit = "Hz") = 100 "frequency at the end";
    parameter Real lasts(unit = "s") = 10 "how long it takes";
    parameter Real amplitude = 1;
    output Real y;
  protected
    parameter Real rate = log(to/from)/lasts;
  equation
    y = amplitude*sin(2*Modelica.Constants.pi*from*(if abs(rate)*lasts < 1e-9 then time else (exp(rate*time) - 1)/rate));
    annotation(Documentation(info =
      "y = amplitude sin(2 pi from (exp(r t) - 1)/r) with r = log(to/from)/lasts: as many turns per octave at each frequency (Farina 2000)."));
  end chirp;

  block noise "Random values from a seed, evenly spread"
    parameter Integer seed = 1 "another seed, other values";
    parameter Real every(unit = "s") = 0.01 "how long each value stays";
    parameter Real amplitude = 1 "values lie between minus and plus this";
    output Real y(start = 0, fixed = true);
  protected
    discrete Real state(start = 0, fixed = true);
  equation
    when sample(0, every) then
      state = mod(16807*(if pre(state) == 0 then 1 + mod(seed*69621 + 12345, 2147483646) else pre(state)), 2147483647);
      y = amplitude*(2*state/2147483647 - 1);
    end when;
    annotation(Documentation(info =
      "x[k+1] = 16807 x[k] mod (2^31 - 1) (Park and Miller 1988), y = amplitude (2 x/(2^31 - 1) - 1): mean 0, variance amplitude^2/3, the same in every run."));
  end noise;

  function wayDone "How far a way from rest to rest has been gone, with limited speed, acceleration and jerk"
    input Real t "since it began";
    input Real way;
    input Real speed;
    input Real acceleration;
    input Real jerk "0: any";
    output Real s;
  protected
    Real tj "in which the acceleration grows";
    Real ta "of speeding up";
    Real tc "at one speed";
    Real a "acceleration that is reached";
    Real v "speed that is reached";
    Real r "counted from the nearer end";
    Real d;
  algorithm
    if way <= 0 then
      s := 0;
    else
      tj := if jerk <= 0 then 0 else min(acceleration/jerk, sqrt(speed/jerk));
      ta := if jerk > 0 and tj < acceleration/jerk then 2*tj else tj + speed/acceleration;
      tc := way/speed - ta;
      if tc < 0 then
        tc := 0;
        tj := if jerk <= 0 then 0 else min(acceleration/jerk, (way/(2*jerk))^(1/3));
        ta := if jerk > 0 and tj < acceleration/jerk then 2*tj else tj/2 + sqrt((tj/2)^2 + way/acceleration);
      end if;
      a := if jerk <= 0 then acceleration else jerk*tj;
      v := (ta - tj)*a;
      r := max(0, min(t, 2*ta + tc - t));
      if r < tj then
        d := jerk*r^3/6;
      elseif r < ta - tj then
        d := a*(3*r^2 - 3*tj*r + tj^2)/6;
      elseif r < ta then
        d := v*ta/2 - v*(ta - r) + (if jerk <= 0 then a*(ta - r)^2/2 else jerk*(ta - r)^3/6);
      else
        d := v*(r - ta/2);
      end if;
      s := if t < ta + tc/2 then d else way - d;
    end if;
    annotation(Documentation(info =
      "The way of seven pieces (jerk, acceleration, jerk, speed, and the same slowing down), of fewer where a limit is not reached (Biagiotti and Melchiorri 2008, section 3.4)."));
  end wayDone;

  block profile "A way from one value to another with limited speed, acceleration and jerk"
    parameter Real at(unit = "s") = 0 "when it begins";
    parameter Real to = 1 "value at its end";
    parameter Real from = 0 "value at its beginning";
    parameter Real speed = 1 "most per second";
    parameter Real acceleration = 1 "most per second and second";
    parameter Real jerk = 0 "most by which the acceleration changes per second; 0: any";
    output Real y;
  equation
    assert(speed > 0 and acceleration > 0 and jerk >= 0, "A profile needs a speed and an acceleration above zero, and a jerk that is not below zero");
    y = from + (if to >= from then 1 else -1)*wayDone(max(0, time - at), abs(to - from), speed, acceleration, jerk);
    annotation(Documentation(info =
      "Speeds up, goes on with the speed, slows down alike: a trapezoid of speed, or a triangle where the way is short; with a jerk the acceleration grows and falls evenly as well (Biagiotti and Melchiorri 2008, section 3.4)."));
  end profile;

  function choose "One of several by its number"
    input Integer k "which: 1 is the first";
    input Real values[:];
    output Real y;
  algorithm
    assert(k >= 1 and k <= size(values, 1), "There is no value of this number");
    y := sum(if j == k then values[j] else 0 for j in 1:size(values, 1));
    annotation(Documentation(info = "y = values[k]."));
  end choose;

  block stateFeedback "State feedback with an observer"
    input Real measured;
    input Real wanted = 0 "set point";
    parameter Real A[:, :] = [0] "of the plant: dx/dt = A x + B u";
    parameter Real B[:] = {1};
    parameter Real C[:] = {1} "measured = C x";
    parameter Real K[:] = {1} "gains of the states";
    parameter Real L[:] = {1} "gains of the observer";
    parameter Real N = 1 "gain of the set point";
    parameter Real low = -1e300 "u goes no lower";
    parameter Real high = 1e300 "u goes no higher";
    parameter Real start[size(A, 1)] = zeros(size(A, 1)) "states the observer begins with";
    output Real u;
  protected
    Real x[size(A, 1)](start = start, each fixed = true) "states as observed";
  equation
    u = max(low, min(high, N*wanted - K*x));
    der(x) = A*x + B*u + L*(measured - C*x);
    annotation(Documentation(info =
      "dx/dt = A x + B u + L (measured - C x), u = N wanted - K x, cut to [low, high]; the observer is told what is left of it (Luenberger 1966; Åström and Wittenmark 1997, chapter 4)."));
  end stateFeedback;

  function table2 "Between the points of a table of two values"
    input Real u;
    input Real v;
    input Real x[:] "values of u, rising";
    input Real y[:] "values of v, rising";
    input Real z[size(x, 1), size(y, 1)] "what it gives there";
    output Real w;
  protected
    Real row[size(x, 1)];
  algorithm
    for k in 1:size(x, 1) loop
      row[k] := interpolate(y, z[k, :], v);
    end for;
    // how much each row counts is itself a table of u
    w := sum(interpolate(x, {if j == k then 1 else 0 for j in 1:size(x, 1)}, u)*row[k] for k in 1:size(x, 1));
    annotation(Documentation(info = "Straight between the points in both directions, level outside the table."));
  end table2;

  package Sampled "The same blocks at the ticks of a clock, and those that only a clock has"
    partial block Base "Looks and moves at ticks only"
      input Boolean tick = false;
      parameter Real period(unit = "s") = 1;
      constant Integer method = 1 "1 hold, 2 Tustin, 3 backward";
    end Base;

    function held "Where a first-order lag comes from one tick to the next"
      input Real y "before";
      input Real was "u before";
      input Real u;
      input Real T;
      input Real period;
      input Integer method;
      output Real next;
    algorithm
      next := if method == 1 then was + (y - was)*exp(-period/T) else if method == 2 then ((2*T - period)*y
        + period*(u + was))/(2*T + period) else (T*y + period*u)/(T + period);
    end held;

    block integrate "The sum of u times the period"
      extends Base;
      input Real u "what is integrated";
      input Boolean reset = false "sets y back to start";
      parameter Real start = 0 "y at the beginning, and at a reset";
      parameter Real low = -1e300 "y goes no lower";
      parameter Real high = 1e300 "y goes no higher";
      output Real y(start = start, fixed = true);
    protected
      discrete Real was(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        was = u;
        y = if reset or not pre(begun) then start else max(low, min(high, pre(y) + period*(if method == 1 then pre(was)
          else if method == 2 then (u + pre(was))/2 else u)));
      end when;
      annotation(Documentation(info =
        "y[k] = y[k-1] + T u[k-1] (hold), T (u[k] + u[k-1])/2 (Tustin), T u[k] (backward), cut to [low, high]; y = start at the first tick."),
        Units(y = "u*s"));
    end integrate;

    block lag "First-order lag: follows u with a time constant"
      extends Base;
      input Real u;
      parameter Real T(unit = "s") = 1 "time constant";
      parameter Real start = 0 "y at the beginning";
      output Real y(start = start, fixed = true);
    protected
      discrete Real was(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        was = u;
        y = if pre(begun) then held(pre(y), pre(was), u, T, period, method) else start;
      end when;
      annotation(Documentation(info =
        "y[k] = a y[k-1] + (1 - a) u[k-1] with a = exp(-T/tau) (hold); Tustin and backward put 2/T (z-1)/(z+1) and (z-1)/(T z) for s (Åström and Wittenmark 1997, chapter 8)."),
        Units(y = "u"));
    end lag;

    block derivative "How fast u changes, smoothed by a lag"
      extends Base;
      input Real u "what is differentiated";
      parameter Real T(unit = "s") = 1e-3 "time constant of the lag";
      output Real y(start = 0, fixed = true);
    protected
      discrete Real x(start = 0, fixed = true), was(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        was = u;
        x = if pre(begun) then held(pre(x), pre(was), u, T, period, method) else u;
        y = (u - x)/T;
      end when;
      annotation(Documentation(info = "y = (u - x)/tau with x the sampled lag of u; it begins at rest."), Units(y = "u/s"));
    end derivative;

    block highPass "Takes away what is slow"
      extends Base;
      input Real u;
      parameter Real T(unit = "s") = 1 "time constant";
      output Real y(start = 0, fixed = true);
    protected
      discrete Real x(start = 0, fixed = true), was(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        was = u;
        x = if pre(begun) then held(pre(x), pre(was), u, T, period, method) else u;
        y = u - x;
      end when;
      annotation(Documentation(info = "y = u - x with x the sampled lag of u; it begins at rest."), Units(y = "u"));
    end highPass;

    block leadLag "Lead and lag: (1 + T1 s)/(1 + T2 s)"
      extends Base;
      input Real u;
      parameter Real T1(unit = "s") = 1 "time constant of the lead";
      parameter Real T2(unit = "s") = 0.1 "time constant of the lag";
      output Real y(start = 0, fixed = true);
    protected
      discrete Real x(start = 0, fixed = true), was(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        was = u;
        x = if pre(begun) then held(pre(x), pre(was), u, T2, period, method) else u;
        y = x + T1/T2*(u - x);
      end when;
      annotation(Documentation(info = "y = x + T1/T2 (u - x) with x the sampled lag of u; it begins at rest."), Units(y = "u"));
    end leadLag;

    block transportDelay "What was some ticks ago"
      extends Base;
      input Real u;
      parameter Real T(unit = "s") = 1 "how long ago: to whole periods";
      output Real y(start = 0, fixed = true);
    protected
      parameter Integer n = integer(T/period + 0.5);
      discrete Real past[n + 1](each start = 0, each fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      assert(T >= 0, "A delay is not below zero");
      when tick then
        begun = true;
        past[1] = u;
        for k in 2:n + 1 loop
          past[k] = if pre(begun) then pre(past[k - 1]) else u;
        end for;
        y = past[n + 1];
      end when;
      annotation(Documentation(info = "y[k] = u[k-n] with n = T/period to the nearest whole number, and u[0] before there is anything."),
        Units(y = "u"));
    end transportDelay;

    block pi "Proportional and integral controller that does not wind up"
      extends Base;
      input Real e "what is still missing: wanted minus measured";
      input Boolean reset = false "the integral begins anew";
      parameter Real k = 1 "gain";
      parameter Real Ti(unit = "s") = 1 "integral time";
      parameter Real low = -1e300 "u goes no lower";
      parameter Real high = 1e300 "u goes no higher";
      parameter Real start = 0 "integral part at the beginning";
      output Real u(start = 0, fixed = true);
    protected
      discrete Real i(start = start, fixed = true), was(start = 0, fixed = true), free(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        was = if pre(free) > high and k*e > 0 or pre(free) < low and k*e < 0 then 0 else k*e/Ti;
        i = if reset or not pre(begun) then start else pre(i) + period*(if method == 1 then pre(was)
          else if method == 2 then (was + pre(was))/2 else was);
        free = k*e + i;
        u = max(low, min(high, free));
      end when;
      annotation(Documentation(info =
        "u[k] = k e[k] + i[k], cut to [low, high]; i sums T k/Ti e and stands still while u was cut off and would be further (conditional integration)."));
    end pi;

    block rateLimit "Follows u no faster than allowed"
      extends Base;
      input Real u;
      parameter Real up = 1 "fastest rise per second";
      parameter Real down = up "fastest fall per second";
      parameter Real start = 0 "y at the beginning";
      output Real y(start = start, fixed = true);
    protected
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        y = if pre(begun) then pre(y) + max(-down*period, min(up*period, u - pre(y))) else start;
      end when;
      annotation(Documentation(info = "y[k] = y[k-1] + (u[k] - y[k-1]) cut to [-T down, T up]."), Units(y = "u"));
    end rateLimit;

    block hysteresis "Switches on above one level and off below another"
      extends Base;
      input Real u;
      parameter Real low = -1 "off below";
      parameter Real high = 1 "on above";
      parameter Boolean start = false "at the beginning, between the levels";
      output Boolean y(start = start, fixed = true);
    equation
      when tick then
        y = u > high or pre(y) and u >= low;
      end when;
      annotation(Documentation(info = "On when u is above high at a tick, off when it is below low, between them as it was."));
    end hysteresis;

    block backlash "Play in a drive: moves only when an end of the gap is met"
      extends Base;
      input Real u;
      parameter Real gap = 1 "width of the play";
      parameter Real start = 0 "y at the beginning";
      output Real y(start = start, fixed = true);
    equation
      when tick then
        y = max(u - gap/2, min(u + gap/2, pre(y)));
      end when;
      annotation(Documentation(info = "y[k] = y[k-1], pushed along where |u - y| would be more than gap/2."), Units(y = "u"));
    end backlash;

    block latch "Set by one condition, taken back by another"
      extends Base;
      input Boolean on;
      input Boolean off;
      parameter Boolean start = false;
      output Boolean y(start = start, fixed = true);
    equation
      when tick then
        y = not off and (on or pre(y));
      end when;
      annotation(Documentation(info = "y comes with on and goes with off; where both hold, off wins."));
    end latch;

    block counter "At how many ticks a condition came to hold"
      extends Base;
      input Boolean u;
      input Boolean reset = false;
      output Integer y(start = 0, fixed = true);
    protected
      Boolean was(start = false, fixed = true);
    equation
      when tick then
        was = u;
        y = if reset then 0 else pre(y) + (if u and not pre(was) then 1 else 0);
      end when;
      annotation(Documentation(info = "y grows by 1 at each tick at which u holds and did not hold at the one before."));
    end counter;

    block timer "For how long a condition has held"
      extends Base;
      input Boolean u;
      output Real y(unit = "s", start = 0, fixed = true);
    protected
      Boolean was(start = false, fixed = true);
    equation
      when tick then
        was = u;
        y = if not u then 0 else if pre(was) then pre(y) + period else 0;
      end when;
      annotation(Documentation(info = "Ticks since u came to hold, times the period; 0 where it does not hold."));
    end timer;

    block debounce "Follows a condition that has lasted"
      extends Base;
      input Boolean u;
      parameter Real T(unit = "s") = 0.01 "how long it must last";
      output Boolean y(start = false, fixed = true);
    protected
      parameter Integer n = integer(T/period + 1 - 1e-9);
      Integer lasted(start = 0, fixed = true);
      Boolean was(start = false, fixed = true);
    equation
      when tick then
        was = u;
        lasted = if u == pre(was) then min(n, pre(lasted) + 1) else 0;
        y = if lasted >= n then u else pre(y);
      end when;
      annotation(Documentation(info = "y becomes what u is once u has been that at ticks over at least T."));
    end debounce;

    block watchdog "Tells that a sign of life has stayed away"
      extends Base;
      input Boolean u "sign of life: each time it comes to hold";
      parameter Real T(unit = "s") = 1 "how long it may stay away";
      output Boolean y(start = false, fixed = true);
    protected
      Boolean was(start = false, fixed = true);
      Integer away(start = 0, fixed = true) "ticks";
    equation
      when tick then
        was = u;
        away = if u and not pre(was) then 0 else pre(away) + 1;
        y = away*period > T*(1 + 1e-9);
      end when;
      annotation(Documentation(info = "y holds while u came to hold at no tick of the last T."));
    end watchdog;

    block step "From one value to another at a moment"
      extends Base;
      parameter Real at(unit = "s") = 1 "when";
      parameter Real to = 1 "value from then on";
      parameter Real from = 0 "value before";
      output Real y(start = from, fixed = true);
    equation
      when tick then
        y = if time >= at - 1e-9*period then to else from;
      end when;
      annotation(Documentation(info = "to from the first tick at or after at."));
    end step;

    block ramp "A straight way from one value to another"
      extends Base;
      parameter Real at(unit = "s") = 0 "when it begins";
      parameter Real lasts(unit = "s") = 1 "how long it takes";
      parameter Real to = 1 "value afterwards";
      parameter Real from = 0 "value before";
      output Real y(start = from, fixed = true);
    equation
      when tick then
        y = from + (to - from)*max(0, min(1, (time - at)/lasts));
      end when;
      annotation(Documentation(info = "The ramp as it is at the tick."));
    end ramp;

    block sine "A sine"
      extends Base;
      parameter Real f(unit = "Hz") = 1 "frequency";
      parameter Real amplitude = 1;
      parameter Real phase(unit = "rad") = 0;
      parameter Real offset = 0;
      output Real y(start = 0, fixed = true);
    equation
      when tick then
        y = offset + amplitude*sin(2*Modelica.Constants.pi*f*time + phase);
      end when;
      annotation(Documentation(info = "The sine as it is at the tick."));
    end sine;

    block delayBy "What was some ticks ago"
      extends Base;
      input Real u;
      parameter Integer n = 1 "how many ticks";
      parameter Real start = 0 "before there is anything";
      output Real y(start = start, fixed = true);
    protected
      discrete Real past[n + 1](each start = start, each fixed = true);
    equation
      assert(n >= 0, "A delay is not below zero");
      when tick then
        past[1] = u;
        for k in 2:n + 1 loop
          past[k] = pre(past[k - 1]);
        end for;
        y = past[n + 1];
      end when;
      annotation(Documentation(info = "y[k] = u[k-n]."), Units(y = "u"));
    end delayBy;

    block difference "How much u changed since the last tick"
      extends Base;
      input Real u;
      output Real y(start = 0, fixed = true);
    protected
      discrete Real was(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        was = u;
        y = if pre(begun) then u - pre(was) else 0;
      end when;
      annotation(Documentation(info = "y[k] = u[k] - u[k-1], 0 at the first tick."), Units(y = "u"));
    end difference;

    block fir "Weighted sum of the last values"
      extends Base;
      input Real u;
      parameter Real c[:] = {1} "weights, that of the newest first";
      output Real y(start = 0, fixed = true);
    protected
      parameter Integer n = size(c, 1);
      discrete Real past[n](each start = 0, each fixed = true);
    equation
      when tick then
        past[1] = u;
        for k in 2:n loop
          past[k] = pre(past[k - 1]);
        end for;
        y = sum(c[k]*past[k] for k in 1:n);
      end when;
      annotation(Documentation(info = "y[k] = c[1] u[k] + c[2] u[k-1] + ..., with 0 before there is anything."));
    end fir;

    block movingAverage "Mean of the last values"
      extends Base;
      input Real u;
      parameter Integer n = 4 "how many";
      output Real y(start = 0, fixed = true);
    protected
      discrete Real past[n](each start = 0, each fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      assert(n >= 1, "A mean needs at least one value");
      when tick then
        begun = true;
        past[1] = u;
        for k in 2:n loop
          past[k] = if pre(begun) then pre(past[k - 1]) else u;
        end for;
        y = sum(past)/n;
      end when;
      annotation(Documentation(info = "y[k] = (u[k] + ... + u[k-n+1])/n, with u[0] before there is anything."), Units(y = "u"));
    end movingAverage;

    block stateSpace "Linear equations with states: dx/dt = A x + B u, y = C x + D u"
      extends Base;
      input Real u;
      parameter Real A[:, :] = [-1];
      parameter Real B[:] = {1};
      parameter Real C[:] = {1};
      parameter Real D = 0;
      parameter Real start[size(A, 1)] = zeros(size(A, 1)) "x at the beginning";
      output Real y(start = 0, fixed = true);
    protected
      parameter Integer n = size(A, 1);
      parameter Real M[n + 1, n + 1] = fromTickToTick(A, B, C, D, period, method);
      discrete Real x[n](start = start, each fixed = true) "at the tick to come";
    equation
      when tick then
        for i in 1:n loop
          x[i] = sum(M[i, j]*pre(x[j]) for j in 1:n) + M[i, n + 1]*u;
        end for;
        y = sum(M[n + 1, j]*pre(x[j]) for j in 1:n) + M[n + 1, n + 1]*u;
      end when;
      annotation(Documentation(info =
        "The continuous equations from tick to tick by the method of the sheet: with what was held exactly, by Tustin's rule, or by backward differences (Åström and Wittenmark 1997, sections 2.3 and 8.2)."));
    end stateSpace;

    block transfer "Transfer function: polynomials in s, highest power first"
      extends Base;
      input Real u;
      parameter Real b[:] = {1} "numerator";
      parameter Real a[:] = {1, 1} "denominator";
      output Real y(start = 0, fixed = true);
    protected
      parameter Integer n = size(a, 1) - 1;
      parameter Integer m = size(b, 1) - 1;
      parameter Real bb[n + 1] = {(if k + m - n >= 1 then b[max(1, min(m + 1, k + m - n))] else 0)/a[1] for k in 1:n + 1};
      parameter Real A[n, n] = {{if i < n then (if j == i + 1 then 1 else 0) else -a[n + 2 - j]/a[1] for j in 1:n} for i in 1:n};
      parameter Real C[n] = {bb[n + 2 - k] - a[n + 2 - k]/a[1]*bb[1] for k in 1:n};
      parameter Real M[n + 1, n + 1] = fromTickToTick(A, {if i == n then 1 else 0 for i in 1:n}, C, bb[1], period, method);
      discrete Real x[n](each start = 0, each fixed = true) "at the tick to come";
    equation
      assert(m <= n, "The numerator of a transfer function has no higher power than its denominator");
      when tick then
        for i in 1:n loop
          x[i] = sum(M[i, j]*pre(x[j]) for j in 1:n) + M[i, n + 1]*u;
        end for;
        y = sum(M[n + 1, j]*pre(x[j]) for j in 1:n) + M[n + 1, n + 1]*u;
      end when;
      annotation(Documentation(info =
        "Y/U = (b[1] s^m + ... + b[m+1])/(a[1] s^n + ... + a[n+1]) from tick to tick by the method of the sheet; transferZ takes polynomials in z. It begins at rest with u = 0."));
    end transfer;

    block notch "Takes one frequency out"
      extends Base;
      input Real u;
      parameter Real w(unit = "rad/s") = 100 "frequency that is taken out";
      parameter Real depth = 0 "what is left of it: 0 nothing, 1 all";
      parameter Real width = 1 "how broad the gap is";
      output Real y(start = 0, fixed = true);
    protected
      parameter Real c = w/tan(w*period/2) "by which the frequency stays where it is";
      parameter Real a0 = c^2 + width*w*c + w^2;
      parameter Real a1 = 2*(w^2 - c^2);
      parameter Real a2 = c^2 - width*w*c + w^2;
      parameter Real b0 = c^2 + depth*width*w*c + w^2;
      parameter Real b2 = c^2 - depth*width*w*c + w^2;
      discrete Real u1(start = 0, fixed = true), u2(start = 0, fixed = true), y2(start = 0, fixed = true), was(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      assert(w*period < Modelica.Constants.pi, "A frequency that is taken out lies below half that of the ticks");
      when tick then
        begun = true;
        was = u;
        u1 = if pre(begun) then pre(was) else u;
        u2 = if pre(begun) then pre(u1) else u;
        y2 = if pre(begun) then pre(y) else u;
        y = if pre(begun) then (b0*u + a1*u1 + b2*u2 - a1*pre(y) - a2*pre(y2))/a0 else u;
      end when;
      annotation(Documentation(info =
        "The continuous notch by Tustin's rule with s = w/tan(w T/2) (z - 1)/(z + 1), so that w is taken out exactly (prewarping: Åström and Wittenmark 1997, section 8.2). It begins at rest."),
        Units(y = "u"));
    end notch;

    block pulse "On and off again and again"
      extends Base;
      parameter Real every(unit = "s") = 1 "period";
      parameter Real width = 0.5 "share of the period in which it is on";
      parameter Real high = 1 "value while on";
      parameter Real low = 0 "value while off";
      parameter Real at(unit = "s") = 0 "when the first begins";
      output Real y(start = low, fixed = true);
    equation
      when tick then
        // a tick that is meant to be at an edge may be off by rounding
        y = if time >= at - 1e-9*period and mod(time - at + 1e-9*period, every) < width*every then high else low;
      end when;
      annotation(Documentation(info = "high for width times every at the beginning of each period, low for the rest, as of the ticks."));
    end pulse;

    block chirp "A sine whose frequency rises"
      extends Base;
      parameter Real from(unit = "Hz") = 1 "frequency at the beginning";
      parameter Real to(unit = "Hz") = 100 "frequency at the end";
      parameter Real lasts(unit = "s") = 10 "how long it takes";
      parameter Real amplitude = 1;
      output Real y(start = 0, fixed = true);
    protected
      parameter Real rate = log(to/from)/lasts;
    equation
      when tick then
        y = amplitude*sin(2*Modelica.Constants.pi*from*(if abs(rate)*lasts < 1e-9 then time else (exp(rate*time) - 1)/rate));
      end when;
      annotation(Documentation(info = "y = amplitude sin(2 pi from (exp(r t) - 1)/r) with r = log(to/from)/lasts, as of the ticks (Farina 2000)."));
    end chirp;

    block profile "A way from one value to another with limited speed, acceleration and jerk"
      extends Base;
      parameter Real at(unit = "s") = 0 "when it begins";
      parameter Real to = 1 "value at its end";
      parameter Real from = 0 "value at its beginning";
      parameter Real speed = 1 "most per second";
      parameter Real acceleration = 1 "most per second and second";
      parameter Real jerk = 0 "most by which the acceleration changes per second; 0: any";
      output Real y(start = from, fixed = true);
    equation
      assert(speed > 0 and acceleration > 0 and jerk >= 0, "A profile needs a speed and an acceleration above zero, and a jerk that is not below zero");
      when tick then
        y = from + (if to >= from then 1 else -1)*wayDone(max(0, time - at), abs(to - from), speed, acceleration, jerk);
      end when;
      annotation(Documentation(info = "The continuous profile as of the ticks (Biagiotti and Melchiorri 2008, section 3.4)."));
    end profile;

    block stateFeedback "State feedback with an observer"
      extends Base;
      input Real measured;
      input Real wanted = 0 "set point";
      parameter Real A[:, :] = [0] "of the plant: dx/dt = A x + B u";
      parameter Real B[:] = {1};
      parameter Real C[:] = {1} "measured = C x";
      parameter Real K[:] = {1} "gains of the states";
      parameter Real L[:] = {1} "gains of the observer, per tick";
      parameter Real N = 1 "gain of the set point";
      parameter Real low = -1e300 "u goes no lower";
      parameter Real high = 1e300 "u goes no higher";
      parameter Real start[size(A, 1)] = zeros(size(A, 1)) "states the observer begins with";
      output Real u(start = 0, fixed = true);
    protected
      parameter Integer n = size(A, 1);
      parameter Real M[n + 1, n + 1] = fromTickToTick(A, B, C, 0, period, 1);
      discrete Real x[n](start = start, each fixed = true) "states as predicted for the tick to come";
    equation
      when tick then
        u = max(low, min(high, N*wanted - sum(K[j]*pre(x[j]) for j in 1:n)));
        for i in 1:n loop
          x[i] = sum(M[i, j]*pre(x[j]) for j in 1:n) + M[i, n + 1]*u + L[i]*(measured - sum(C[j]*pre(x[j]) for j in 1:n));
        end for;
      end when;
      annotation(Documentation(info =
        "u = N wanted - K x, cut to [low, high]; x[k+1] = F x[k] + G u[k] + L (measured[k] - C x[k]), F and G of the plant from tick to tick with u held (Luenberger 1966; Åström and Wittenmark 1997, chapter 4)."));
    end stateFeedback;

    block transferZ "Transfer function in z: highest power first"
      extends Base;
      input Real u;
      parameter Real b[:] = {1} "numerator";
      parameter Real a[:] = {1} "denominator";
      output Real y(start = 0, fixed = true);
    protected
      parameter Integer n = size(a, 1) - 1;
      parameter Integer m = size(b, 1) - 1;
      discrete Real us[n + 1](each start = 0, each fixed = true);
      discrete Real ys[n + 1](each start = 0, each fixed = true);
    equation
      assert(m <= n, "The numerator of a transfer function has no higher power than its denominator");
      when tick then
        us[1] = u;
        for k in 2:n + 1 loop
          us[k] = pre(us[k - 1]);
          ys[k] = pre(ys[k - 1]);
        end for;
        ys[1] = (sum(b[k]*us[n - m + k] for k in 1:m + 1) - sum(a[k]*ys[k] for k in 2:n + 1))/a[1];
        y = ys[1];
      end when;
      annotation(Documentation(info =
        "Y/U = (b[1] z^m + ... + b[m+1])/(a[1] z^n + ... + a[n+1]) with m <= n, as a difference equation; it begins with zeros."));
    end transferZ;

    block decimate "Every n-th value, held"
      extends Base;
      input Real u;
      parameter Integer n = 2 "how many ticks one value stands for";
      output Real y(start = 0, fixed = true);
    protected
      Integer k(start = 0, fixed = true);
    equation
      assert(n >= 1, "At least every value");
      when tick then
        k = if pre(k) + 1 >= n then 0 else pre(k) + 1;
        y = if pre(k) == 0 then u else pre(y);
      end when;
      annotation(Documentation(info = "y = u at the ticks 0, n, 2 n, ..., held between them."), Units(y = "u"));
    end decimate;

    block lag2 "Second-order lag: natural frequency and damping"
      extends Base;
      input Real u;
      parameter Real w(unit = "rad/s") = 1 "natural frequency";
      parameter Real d = 1 "damping ratio";
      parameter Real start = 0 "y at the beginning";
      output Real y(start = start, fixed = true);
    protected
      parameter Real e = exp(-d*w*period);
      parameter Real wd = w*sqrt(abs(1 - d^2));
      parameter Real c = if abs(1 - d^2) < 1e-9 then 1 else if d < 1 then cos(wd*period) else cosh(wd*period);
      parameter Real si = if abs(1 - d^2) < 1e-9 then period else if d < 1 then sin(wd*period)/wd else sinh(wd*period)/wd;
      discrete Real v(start = 0, fixed = true), was(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        was = u;
        y = if pre(begun) then pre(was) + e*((c + d*w*si)*(pre(y) - pre(was)) + si*pre(v)) else start;
        v = if pre(begun) then e*(-w^2*si*(pre(y) - pre(was)) + (c - d*w*si)*pre(v)) else 0;
      end when;
      annotation(Documentation(info =
        "The continuous lag from tick to tick for an input that is held between them, exactly, whatever the method of the sheet."),
        Units(y = "u"));
    end lag2;

    block pid "Proportional, integral and derivative controller"
      extends Base;
      input Real wanted "set point";
      input Real measured;
      input Boolean manual = false "u follows by hand; the way back is without a jump";
      input Real byHand = 0 "u while manual";
      parameter Real k = 1 "gain";
      parameter Real Ti(unit = "s") = 1 "integral time";
      parameter Real Td(unit = "s") = 0 "derivative time";
      parameter Real b = 1 "weight of the set point in the proportional part";
      parameter Real c = 0 "weight of the set point in the derivative part";
      parameter Real N = 10 "the derivative is smoothed with Td/N";
      parameter Real low = -1e300 "u goes no lower";
      parameter Real high = 1e300 "u goes no higher";
      output Real u(start = 0, fixed = true);
    protected
      discrete Real i(start = 0, fixed = true), dPart(start = 0, fixed = true), last(start = 0, fixed = true),
        free(start = 0, fixed = true), p(start = 0, fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      when tick then
        begun = true;
        p = k*(b*wanted - measured);
        last = c*wanted - measured;
        dPart = if pre(begun) then (Td*pre(dPart) + k*Td*N*(last - pre(last)))/(Td + N*period) else 0;
        u = max(low, min(high, if manual then byHand else free));
        free = p + pre(i) + dPart;
        i = if manual then u - p - dPart else if free > high and k*(wanted - measured) > 0 or free < low
          and k*(wanted - measured) < 0 then pre(i) else pre(i) + k*period/Ti*(wanted - measured);
      end when;
      annotation(Documentation(info =
        "u = P + I + D cut to [low, high]: I[k+1] = I[k] + k T/Ti e[k], D by backward difference with the lag Td/N (Åström and Hägglund 1995, section 3.6); I stands still while the cut-off would grow, and keeps u where it is while manual."));
    end pid;

    function middle "The value in the middle of sorted ones"
      input Real x[:];
      output Real y;
    protected
      Real s[size(x, 1)];
      Real kept;
    algorithm
      s := x;
      for i in 1:size(x, 1) - 1 loop
        for j in 1:size(x, 1) - i loop
          kept := min(s[j], s[j + 1]);
          s[j + 1] := max(s[j], s[j + 1]);
          s[j] := kept;
        end for;
      end for;
      y := s[div(size(x, 1) + 1, 2)];
    end middle;

    block median "Value in the middle of the last ones"
      extends Base;
      input Real u;
      parameter Integer n = 3 "how many: an odd number";
      output Real y(start = 0, fixed = true);
    protected
      discrete Real past[n](each start = 0, each fixed = true);
      Boolean begun(start = false, fixed = true);
    equation
      assert(n >= 1 and mod(n, 2) == 1, "A median is taken of an odd number of values");
      when tick then
        begun = true;
        past[1] = u;
        for k in 2:n loop
          past[k] = if pre(begun) then pre(past[k - 1]) else u;
        end for;
        y = middle(past);
      end when;
      annotation(Documentation(info = "The middle one of u[k], ..., u[k-n+1] in the order of their size: single outliers leave no trace (Tukey 1977)."),
        Units(y = "u"));
    end median;

    block noise "Random values from a seed, evenly spread"
      extends Base;
      parameter Integer seed = 1 "another seed, other values";
      parameter Real amplitude = 1 "values lie between minus and plus this";
      output Real y(start = 0, fixed = true);
    protected
      discrete Real state(start = 0, fixed = true);
    equation
      when tick then
        state = mod(16807*(if pre(state) == 0 then 1 + mod(seed*69621 + 12345, 2147483646) else pre(state)), 2147483647);
        y = amplitude*(2*state/2147483647 - 1);
      end when;
      annotation(Documentation(info =
        "A new value at each tick: x[k+1] = 16807 x[k] mod (2^31 - 1) (Park and Miller 1988)."));
    end noise;
    block leastSquares "Unknown values found while running: y is the sum of values times regressors"
      extends Base;
      input Real y "what is measured";
      input Real x[:] "regressors: what each unknown value is multiplied by";
      input Boolean enable = true "it learns while this holds";
      input Boolean reset = false "it begins anew";
      parameter Real noise = 1 "standard deviation of y";
      parameter Real forget = 1 "how much what lies a tick back still counts: 1 forgets nothing, 0.99 about the last 100 ticks";
      parameter Integer way = 1 "how it forgets: 1 everywhere, 2 only in the directions that are measured, 3 with a floor of the deviations";
      parameter Real least = 0 "way 3: no standard deviation goes below it";
      parameter Real start[size(x, 1)] = zeros(size(x, 1)) "values it begins with";
      parameter Real spread[size(x, 1)] = fill(1000, size(x, 1)) "their standard deviations";
      output Real theta[size(x, 1)](start = start, each fixed = true) "the values";
      output Real deviation[size(x, 1)] "their standard deviations";
      output Real error(start = 0, fixed = true) "y minus what was predicted for it";
      output Real P[size(x, 1), size(x, 1)](start = P0, each fixed = true) "their covariance";
    protected
      parameter Integer n = size(x, 1);
      parameter Real P0[n, n] = {{if i == j then spread[i]^2 else 0 for j in 1:n} for i in 1:n};
      parameter Real R = noise^2;
      discrete Real Pf[n, n](each start = 0, each fixed = true) "less certain by what is forgotten";
      discrete Real Px[n](each start = 0, each fixed = true);
      discrete Real K[n](each start = 0, each fixed = true);
      discrete Real s(start = 0, fixed = true) "variance of what is predicted";
      discrete Real back(start = 1, fixed = true) "way 2: what is forgotten along x";
    equation
      assert(forget > 0 and forget <= 1, "forget lies above 0 and goes up to 1");
      assert(noise > 0, "The standard deviation of y is above 0");
      assert(way >= 1 and way <= 3, "way is 1, 2 or 3");
      for i in 1:n loop
        deviation[i] = sqrt(max(0, P[i, i]));
      end for;
      when tick then
        error = y - sum(x[j]*pre(theta[j]) for j in 1:n);
        for i in 1:n loop
          for j in 1:n loop
            Pf[i, j] = if way == 2 then pre(P[i, j]) else pre(P[i, j])/forget;
          end for;
          Px[i] = sum(Pf[i, j]*x[j] for j in 1:n);
          K[i] = Px[i]/(R + s);
        end for;
        s = sum(x[i]*Px[i] for i in 1:n);
        back = if s > 0 then forget - (1 - forget)*R/s else 1;
        for i in 1:n loop
          theta[i] = if reset then start[i] else if enable then pre(theta[i]) + K[i]*error else pre(theta[i]);
          for j in 1:i loop
            // (I - K x') P (I - K x')' + K R K'; along x only what is forgotten there comes back
            P[i, j] = if reset then P0[i, j] else if not enable then pre(P[i, j])
              else if way == 2 then (if s > 0 and back <> 0 then Pf[i, j] - Px[i]*Px[j]/(R/back + s) else Pf[i, j])
              else max(if way == 3 and i == j then least^2 else -1e300, Pf[i, j] - (K[i]*Px[j] + Px[i]*K[j]) + K[i]*(s + R)*K[j]);
          end for;
          for j in i + 1:n loop
            P[i, j] = P[j, i];
          end for;
        end for;
      end when;
      annotation(Documentation(info =
        "theta[k] = theta[k-1] + K (y - x theta[k-1]), K = P x/(noise^2 + x P x), P in the form of Joseph (Bucy and Joseph 1968). Way 1: P/forget before each step (Plackett 1950; Åström and Wittenmark 1995, chapter 2). Way 2: only along x (Kulhavý and Kárný 1984). Way 3: way 1 with a floor. Without forgetting it is the least squares of all ticks so far, together with what it began with."));
    end leastSquares;

    block kalman "States of a linear plant from what is measured of it, with how certain they are"
      extends Base;
      input Real y[:] "what is measured: C x with noise";
      input Real u[:] = {0} "what drives the plant";
      input Boolean enable = true "it is corrected by y while this holds";
      input Boolean reset = false "it begins anew";
      parameter Real A[:, :] = [0] "of the plant: dx/dt = A x + B u + noise";
      parameter Real B[size(A, 1), size(u, 1)] = zeros(size(A, 1), size(u, 1));
      parameter Real C[size(y, 1), size(A, 1)] = {{if i == j then 1 else 0 for j in 1:size(A, 1)} for i in 1:size(y, 1)} "y = C x + noise";
      parameter Real Q[size(A, 1), size(A, 1)] = identity(size(A, 1)) "noise of the states: variance that comes in per second";
      parameter Real R[size(y, 1)] = ones(size(y, 1)) "variances of y";
      parameter Real start[size(A, 1)] = zeros(size(A, 1)) "states it begins with";
      parameter Real spread[size(A, 1)] = fill(1000, size(A, 1)) "their standard deviations";
      output Real x[size(A, 1)](start = start, each fixed = true) "the states";
      output Real deviation[size(A, 1)] "their standard deviations";
      output Real error[size(y, 1)](each start = 0, each fixed = true) "y minus what was predicted for it";
      output Real P[size(A, 1), size(A, 1)](start = P0, each fixed = true) "their covariance";
    protected
      parameter Integer n = size(A, 1);
      parameter Integer m = size(u, 1);
      parameter Integer l = size(y, 1);
      parameter Real P0[n, n] = {{if i == j then spread[i]^2 else 0 for j in 1:n} for i in 1:n};
      parameter Real AB[n + m, n + m] = {{if i > n then 0 else if j <= n then A[min(i, n), min(j, n)] else B[min(i, n), max(1, j - n)] for j in 1:n + m} for i in 1:n + m};
      parameter Real FG[n + m + 1, n + m + 1] = fromTickToTick(AB, zeros(n + m), zeros(n + m), 0, period, 1);
      parameter Real F[n, n] = {{FG[i, j] for j in 1:n} for i in 1:n};
      parameter Real G[n, m] = {{FG[i, n + j] for j in 1:m} for i in 1:n};
      parameter Real AQ[2*n, 2*n] = {{if i <= n then (if j <= n then -A[min(i, n), min(j, n)] else Q[min(i, n), max(1, j - n)])
        else if j <= n then 0 else A[max(1, j - n), max(1, i - n)] for j in 1:2*n} for i in 1:2*n};
      parameter Real W[2*n + 1, 2*n + 1] = fromTickToTick(AQ, zeros(2*n), zeros(2*n), 0, period, 1);
      parameter Real Qd[n, n] = {{sum(F[i, k]*W[k, n + j] for k in 1:n) for j in 1:n} for i in 1:n};
      discrete Real was[m](each start = 0, each fixed = true);
      Boolean begun(start = false, fixed = true);
      discrete Real H[n, n](each start = 0, each fixed = true);
      discrete Real xs[l + 1, n](each start = 0, each fixed = true) "states before and after each measurement";
      discrete Real Ps[l + 1, n, n](each start = 0, each fixed = true) "covariance before and after each measurement";
      discrete Real Pc[l, n](each start = 0, each fixed = true);
      discrete Real s[l](each start = 0, each fixed = true);
      discrete Real K[l, n](each start = 0, each fixed = true);
    equation
      for i in 1:n loop
        deviation[i] = sqrt(max(0, P[i, i]));
      end for;
      when tick then
        begun = not reset;
        was = u;
        for i in 1:n loop
          xs[1, i] = if pre(begun) then sum(F[i, j]*pre(x[j]) for j in 1:n) + sum(G[i, j]*pre(was[j]) for j in 1:m) else pre(x[i]);
          for j in 1:n loop
            H[i, j] = sum(F[i, k]*pre(P[k, j]) for k in 1:n);
          end for;
          for j in 1:i loop
            Ps[1, i, j] = if pre(begun) then sum(H[i, k]*F[j, k] for k in 1:n) + Qd[i, j] else pre(P[i, j]);
          end for;
          for j in i + 1:n loop
            Ps[1, i, j] = Ps[1, j, i];
          end for;
        end for;
        // one measurement after the other: (I - K c') P (I - K c')' + K r K'
        for q in 1:l loop
          error[q] = y[q] - sum(C[q, i]*xs[1, i] for i in 1:n);
          s[q] = sum(C[q, i]*Pc[q, i] for i in 1:n) + R[q];
          for i in 1:n loop
            Pc[q, i] = sum(Ps[q, i, j]*C[q, j] for j in 1:n);
            K[q, i] = Pc[q, i]/s[q];
            xs[q + 1, i] = xs[q, i] + K[q, i]*(y[q] - sum(C[q, j]*xs[q, j] for j in 1:n));
            for j in 1:i loop
              Ps[q + 1, i, j] = Ps[q, i, j] - (K[q, i]*Pc[q, j] + Pc[q, i]*K[q, j]) + K[q, i]*s[q]*K[q, j];
            end for;
            for j in i + 1:n loop
              Ps[q + 1, i, j] = Ps[q + 1, j, i];
            end for;
          end for;
        end for;
        for i in 1:n loop
          x[i] = if reset then start[i] else if enable then xs[l + 1, i] else xs[1, i];
          for j in 1:n loop
            P[i, j] = if reset then P0[i, j] else if enable then Ps[l + 1, i, j] else Ps[1, i, j];
          end for;
        end for;
      end when;
      annotation(Documentation(info =
        "x[k|k-1] = F x[k-1] + G u[k-1], P[k|k-1] = F P F' + Qd, then for each measurement K = P c/(c' P c + r), x = x + K (y - c' x), P in the form of Joseph (Kalman 1960; Bucy and Joseph 1968). F, G and Qd of the plant from tick to tick (Van Loan 1978), u held between ticks."));
    end kalman;

    block extendedKalman "States of a plant whose equations are not linear, from what is measured of it, with how certain they are"
      extends Base;
      input Real y[:] "what is measured: h with noise";
      input Real f[:] "how fast each state changes, per second: formulas over the states x of this line";
      input Real h[size(y, 1)] "what is expected for y: formulas over the states x of this line";
      input Boolean enable = true "it is corrected by y while this holds";
      input Boolean reset = false "it begins anew";
      parameter Real Q[size(f, 1), size(f, 1)] = identity(size(f, 1)) "noise of the states: variance that comes in per second";
      parameter Real R[size(y, 1)] = ones(size(y, 1)) "variances of y";
      parameter Real start[size(f, 1)] = zeros(size(f, 1)) "states it begins with";
      parameter Real spread[size(f, 1)] = fill(1000, size(f, 1)) "their standard deviations";
      output Real x[size(f, 1)](start = start, each fixed = true) "the states";
      output Real deviation[size(f, 1)] "their standard deviations";
      output Real error[size(y, 1)](each start = 0, each fixed = true) "y minus what was predicted for it";
      output Real P[size(f, 1), size(f, 1)](start = P0, each fixed = true) "their covariance";
      // the sheet gives the formulas at these places, and their slopes
      input Real f2[size(f, 1)];
      input Real f3[size(f, 1)];
      input Real f4[size(f, 1)];
      input Real fx[size(f, 1), size(f, 1)];
      input Real hx[size(y, 1), size(f, 1)];
      discrete Real x2[size(f, 1)](each start = 0, each fixed = true);
      discrete Real x3[size(f, 1)](each start = 0, each fixed = true);
      discrete Real x4[size(f, 1)](each start = 0, each fixed = true);
      discrete Real predicted[size(f, 1)](start = start, each fixed = true);
    protected
      parameter Integer n = size(f, 1);
      parameter Integer l = size(y, 1);
      parameter Real P0[n, n] = {{if i == j then spread[i]^2 else 0 for j in 1:n} for i in 1:n};
      discrete Real ahead[n](start = start, each fixed = true) "states at the next tick";
      discrete Real Pa[n, n](start = P0, each fixed = true) "their covariance";
      discrete Real A[n, n](each start = 0, each fixed = true) "half a tick of fx";
      discrete Real A2[n, n](each start = 0, each fixed = true);
      discrete Real Fh[n, n](each start = 0, each fixed = true) "over half a tick";
      discrete Real F[n, n](each start = 0, each fixed = true) "over a tick";
      discrete Real H[n, n](each start = 0, each fixed = true);
      discrete Real Hh[n, n](each start = 0, each fixed = true);
      discrete Real xs[l + 1, n](each start = 0, each fixed = true) "states before and after each measurement";
      discrete Real Ps[l + 1, n, n](each start = 0, each fixed = true) "covariance before and after each measurement";
      discrete Real Pc[l, n](each start = 0, each fixed = true);
      discrete Real s[l](each start = 0, each fixed = true);
      discrete Real K[l, n](each start = 0, each fixed = true);
    equation
      for i in 1:n loop
        deviation[i] = sqrt(max(0, P[i, i]));
      end for;
      when tick then
        for i in 1:n loop
          predicted[i] = pre(ahead[i]);
          xs[1, i] = predicted[i];
          for j in 1:n loop
            Ps[1, i, j] = pre(Pa[i, j]);
          end for;
        end for;
        // one measurement after the other: (I - K c') P (I - K c')' + K r K', c the slope of h where the states were predicted
        for q in 1:l loop
          error[q] = y[q] - h[q];
          s[q] = sum(hx[q, i]*Pc[q, i] for i in 1:n) + R[q];
          for i in 1:n loop
            Pc[q, i] = sum(Ps[q, i, j]*hx[q, j] for j in 1:n);
            K[q, i] = Pc[q, i]/s[q];
            xs[q + 1, i] = xs[q, i] + K[q, i]*(error[q] - sum(hx[q, j]*(xs[q, j] - xs[1, j]) for j in 1:n));
            for j in 1:i loop
              Ps[q + 1, i, j] = Ps[q, i, j] - (K[q, i]*Pc[q, j] + Pc[q, i]*K[q, j]) + K[q, i]*s[q]*K[q, j];
            end for;
            for j in i + 1:n loop
              Ps[q + 1, i, j] = Ps[q + 1, j, i];
            end for;
          end for;
        end for;
        for i in 1:n loop
          x[i] = if reset then start[i] else if enable then xs[l + 1, i] else xs[1, i];
          for j in 1:n loop
            P[i, j] = if reset then P0[i, j] else if enable then Ps[l + 1, i, j] else Ps[1, i, j];
          end for;
        end for;
        // to the next tick: the states by Runge and Kutta, what is uncertain of them by the slopes
        for i in 1:n loop
          x2[i] = x[i] + period/2*f[i];
          x3[i] = x[i] + period/2*f2[i];
          x4[i] = x[i] + period*f3[i];
          ahead[i] = if reset then start[i] else x[i] + period/6*(f[i] + 2*f2[i] + 2*f3[i] + f4[i]);
          for j in 1:n loop
            A[i, j] = period/2*fx[i, j];
            A2[i, j] = sum(A[i, k]*A[k, j] for k in 1:n);
            Fh[i, j] = (if i == j then 1 else 0) + A[i, j] + A2[i, j]/2 + sum(A2[i, k]*(A[k, j]/6 + A2[k, j]/24) for k in 1:n);
            F[i, j] = sum(Fh[i, k]*Fh[k, j] for k in 1:n);
            H[i, j] = sum(F[i, k]*(P[k, j] + period/6*Q[k, j]) for k in 1:n);
            Hh[i, j] = sum(Fh[i, k]*Q[k, j] for k in 1:n);
          end for;
          for j in 1:i loop
            Pa[i, j] = if reset then P0[i, j] else sum(H[i, k]*F[j, k] for k in 1:n) + period/6*(Q[i, j] + 4*sum(Hh[i, k]*Fh[j, k] for k in 1:n));
          end for;
          for j in i + 1:n loop
            Pa[i, j] = Pa[j, i];
          end for;
        end for;
      end when;
      annotation(Documentation(info =
        "The plant is dx/dt = f(x), y = h(x) with noise, all other names known and held between ticks. x[k+1|k] by one step of Runge and Kutta of order four, P[k+1|k] = F P F' + Qd with F = exp(T df/dx) at x[k] and Qd by Simpson's rule; then for each measurement the correction of kalman with c = dh/dx at x[k|k-1] (Jazwinski 1970, chapter 8). The slopes are those of the formulas themselves."),
        Along(f = "f at x", f2 = "f at x2", f3 = "f at x3", f4 = "f at x4", fx = "f by x", h = "h at predicted", hx = "h by predicted"));
    end extendedKalman;

    block leavesRange "Tells that u has been outside a range for some ticks on end"
      extends Base;
      input Real u;
      input Boolean reset = false "takes the alarm back";
      parameter Real low = -1e300;
      parameter Real high = 1e300;
      parameter Integer n = 1 "so many ticks on end";
      output Boolean y(start = false, fixed = true) "stays until it is reset";
    protected
      discrete Integer outside(start = 0, fixed = true);
    equation
      when tick then
        outside = if u < low or u > high then pre(outside) + 1 else 0;
        y = not reset and (pre(y) or outside >= n);
      end when;
      annotation(Documentation(info = "y holds from the n-th tick on end at which u lies below low or above high, until reset (Shewhart 1931)."));
    end leavesRange;

    block cusum "Tells small lasting changes of the mean: cumulative sums"
      extends Base;
      input Real u;
      input Boolean reset = false "takes the alarm back and begins anew";
      parameter Real mean = 0 "what u is on average while nothing has changed";
      parameter Real slack = 0 "half the smallest change that matters";
      parameter Real limit = 1 "alarm where a sum goes above it";
      output Boolean alarm(start = false, fixed = true) "stays until it is reset";
      output Real up(start = 0, fixed = true) "sum of what lies above";
      output Real down(start = 0, fixed = true) "sum of what lies below";
      output Real since(unit = "s", start = 0, fixed = true) "when the sum that gave the alarm began to grow";
    protected
      discrete Real upSince(start = 0, fixed = true), downSince(start = 0, fixed = true);
    equation
      when tick then
        up = if reset then 0 else max(0, pre(up) + u - mean - slack);
        down = if reset then 0 else max(0, pre(down) + mean - slack - u);
        upSince = if up > 0 and pre(up) > 0 then pre(upSince) else time;
        downSince = if down > 0 and pre(down) > 0 then pre(downSince) else time;
        alarm = not reset and (pre(alarm) or up > limit or down > limit);
        since = if reset then 0 else if pre(alarm) or not alarm then pre(since) else if up > limit then upSince else downSince;
      end when;
      annotation(Documentation(info =
        "up = max(0, up + u - mean - slack), down = max(0, down + mean - slack - u): alarm above limit; the change began about where the sum left 0 (Page 1954; Basseville and Nikiforov 1993, section 2.2)."));
    end cusum;

    block likelihoodRatio "Tells a change of the mean of unknown size: generalised likelihood ratio"
      extends Base;
      input Real u;
      input Boolean reset = false "takes the alarm back and begins anew";
      parameter Real mean = 0 "what u is on average while nothing has changed";
      parameter Real deviation = 1 "its standard deviation then";
      parameter Integer n = 20 "looks back over so many ticks";
      parameter Real limit = 10 "alarm where the logarithm of the ratio goes above it";
      output Boolean alarm(start = false, fixed = true) "stays until it is reset";
      output Real ratio(start = 0, fixed = true) "its logarithm";
    protected
      discrete Real past[n](each start = 0, each fixed = true);
      discrete Integer count(start = 0, fixed = true);
      discrete Real total[n](each start = 0, each fixed = true), best[n](each start = 0, each fixed = true);
    equation
      assert(deviation > 0, "The standard deviation is above 0");
      when tick then
        past[1] = u - mean;
        for k in 2:n loop
          past[k] = pre(past[k - 1]);
        end for;
        count = if reset then 0 else min(n, pre(count) + 1);
        for k in 1:n loop
          total[k] = (if k > 1 then total[max(1, k - 1)] else 0) + past[k];
          best[k] = max(if k > 1 then best[max(1, k - 1)] else 0, if k <= count then total[k]^2/(2*deviation^2*k) else 0);
        end for;
        ratio = if reset then 0 else best[n];
        alarm = not reset and (pre(alarm) or ratio > limit);
      end when;
      annotation(Documentation(info =
        "ratio = max over j of (sum of u - mean over the last j ticks)^2/(2 deviation^2 j), j up to n: the best changed mean and moment against none (Willsky and Jones 1976). Without a change it goes above limit about once in exp(limit) independent looks."));
    end likelihoodRatio;
  end Sampled;
end Signals;
