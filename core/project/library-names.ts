import { lex } from '../language/lexer';

/** Classes of the library that have another name since version 7 of the format, by package. */
const renamed: ReadonlyMap<string, ReadonlyMap<string, string>> = new Map(
  Object.entries({
    Electrical: {
      SignalVoltage: 'DrivenVoltage',
      SignalCurrent: 'DrivenCurrent',
      SineVoltage: 'AlternatingVoltage',
      IdealDiode: 'Diode',
      HeatingResistor: 'ResistorWithHeat',
    },
    Magnetic: { TwoPort: 'TwoPorts' },
    Rotational: { Gear: 'GearWithLoss', IdealGear: 'Gear', BearingFriction: 'Bearing' },
    Thermal: { HeatPort: 'Port', FixedTemperature: 'ConstantTemperature', Temperature: 'DrivenTemperature' },
    Pneumatic: { TwoPort: 'TwoPorts' },
    Planar: { World: 'Ground' },
    Spatial: { World: 'Ground', FixedTranslation: 'Arm', FixedRotation: 'Turn' },
  }).map(([name, classes]) => [name, new Map(Object.entries(classes))]),
);

/** A text of classes or equations with library classes under their present names; comments and texts in quotes stay. */
export function withPresentLibraryNames(text: string): string {
  if (![...renamed.keys()].some((name) => text.includes(name))) return text;
  const { tokens } = lex(text);
  const word = (k: number): string => tokens[k]?.text ?? '';
  const isPackage = (k: number): boolean =>
    tokens[k].kind === 'name' && (word(k - 1) !== '.' || tokens[k - 2]?.kind !== 'name');
  // `import T = Thermal;` gives the package another name
  const packages = new Map(renamed);
  tokens.forEach((t, k) => {
    const classes = renamed.get(word(k + 3));
    if (t.text === 'import' && word(k + 2) === '=' && word(k + 4) === ';' && classes)
      packages.set(word(k + 1), classes);
  });
  let result = '';
  let done = 0;
  tokens.forEach((t, k) => {
    if (!isPackage(k) || word(k + 1) !== '.' || tokens[k + 2]?.kind !== 'name') return;
    const name = packages.get(t.text)?.get(word(k + 2));
    if (name === undefined) return;
    result += text.slice(done, tokens[k + 2].start) + name;
    done = tokens[k + 2].end;
  });
  return result + text.slice(done);
}
