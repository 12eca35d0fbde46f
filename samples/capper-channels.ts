import { newChannel, type Channel } from '../core/project/project';

/** Where a signal of the controller is: pins of the board of 8 bits and of that of 32. */
const at = (small: string, large: string): Channel['pins'] => [
  { board: 'larch8', pin: small },
  { board: 'larch32', pin: large },
];
const channel = (name: string, kind: Channel['kind'], more: Partial<Channel>): Channel => ({
  ...newChannel(`l-${name}`, name, kind),
  ...more,
});

/** What the signals of the capper's controller go through on a board: sensors in millivolts, keys and lines, and the motor driver. */
export const capperChannels: readonly Channel[] = [
  channel('speedSensor', 'analog', { quantity: 'speed', low: -50, high: 50, highVolts: 3.2, pins: at('P15', 'P27') }),
  channel('angleSensor', 'analog', { quantity: 'angle', low: 0, high: 16, highVolts: 3.2, pins: at('P16', 'P28') }),
  channel('torqueSensor', 'analog', {
    quantity: 'torque',
    low: -0.6,
    high: 1.4,
    highVolts: 3.2,
    pins: at('P17', 'P29'),
  }),
  channel('windingSensor', 'analog', {
    quantity: 'temperature',
    low: -20,
    high: 140,
    highVolts: 3.2,
    pins: at('P18', 'P30'),
  }),
  channel('motorDriver', 'pwm', { quantity: 'voltage', low: 0, high: 12, frequency: 20_000, pins: at('P10', 'P10') }),
  channel('tubeSensor', 'digital', { rises: 'tubeSeen', debounce: 2, pins: at('P1', 'P17') }),
  channel('jawSensor', 'digital', { rises: 'clamped', pins: at('P2', 'P18') }),
  channel('seatSensor', 'digital', { rises: 'seated', pins: at('P3', 'P3') }),
  // 0 V while the guard is open: a wire that is loose looks like a shut one, as the pin is pulled up
  channel('guardSwitch', 'digital', {
    rises: 'guardOpened',
    falls: 'guardClosed',
    inverted: true,
    pull: 'up',
    debounce: 3,
    pins: at('P4', 'P4'),
  }),
  channel('startKey', 'digital', { rises: 'start', debounce: 2, pins: at('P5', 'P5') }),
  channel('stopKey', 'digital', { rises: 'stop', debounce: 2, pins: at('P6', 'P6') }),
  channel('resetKey', 'digital', { rises: 'reset', debounce: 2, pins: at('P7', 'P7') }),
  channel('headValve', 'digital', { quantity: 'engage', pins: at('P8', 'P8') }),
  channel('panelLamp', 'digital', { quantity: 'lamp', pins: at('P9', 'P9') }),
  channel('beltAdvance', 'digital', { rises: 'advance', pins: at('P11', 'P11') }),
  channel('beltHalt', 'digital', { rises: 'halt', pins: at('P12', 'P12') }),
  channel('jaws', 'digital', { rises: 'close', falls: 'open', pins: at('P13', 'P13') }),
  channel('capChute', 'digital', { rises: 'newCap', pins: at('P14', 'P14') }),
  channel('readyLine', 'digital', { rises: 'ready', pins: at('P19', 'P15') }),
  channel('faultLine', 'digital', { rises: 'fault', pins: at('P20', 'P16') }),
];
