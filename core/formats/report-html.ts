/** What reports that are written as one HTML file have in common. */

/** Where something with an address stands in a report. */
export const anchorOf = (address: string): string =>
  `a-${address.replace(/[^\w-]/g, (c) => `_${c.charCodeAt(0).toString(16)}`)}`;

/** Three digits, in the way of print. */
export const numberText = (value: number): string => {
  const size = Math.abs(value);
  return (
    size !== 0 && (size >= 1e6 || size < 1e-4) ? value.toExponential(2) : String(Number(value.toPrecision(3)))
  ).replace('-', '−');
};

export const counted = (n: number, one: string, several = `${one}s`): string => `${n} ${n === 1 ? one : several}`;

export const reportStyle = `
:root{--ink:#23292c;--quiet:#59605f;--paper:#faf7f0;--hair:#ddd6c7;--accent:#0b6a73;--good:#2c6b3f;--bad:#a8321f}
.dark{--ink:#e4e0d6;--quiet:#b0b0a8;--paper:#1b1f21;--hair:#363c3f;--accent:#5cc0c4;--good:#86c894;--bad:#f08e78}
body{margin:0;background:var(--paper);color:var(--ink);font:14px/1.5 'Instrument Sans Variable','Instrument Sans',system-ui,sans-serif}
main{max-width:1080px;margin:0 auto;padding:20px 24px 60px}h1{font-size:24px;margin:0}h2{font-size:18px;border-bottom:1px solid var(--hair);margin:34px 0 10px;padding-bottom:4px}h3{font-size:14px;margin:14px 0 2px}
a{color:var(--accent)}nav a{margin-right:12px}.quiet,small{color:var(--quiet)}small{font-weight:400}p{margin:2px 0}code{font:12.5px 'JetBrains Mono Variable','JetBrains Mono',monospace}
.holds{color:var(--good)}.fails,.bad{color:var(--bad)}.undecided{color:var(--quiet)}table{border-collapse:collapse}th,td{text-align:left;vertical-align:top;padding:2px 12px 2px 0;font-weight:400}
.facts th{color:var(--quiet)}.list td,.list th{border-bottom:1px solid var(--hair);padding:3px 12px 3px 0}.wide{overflow:auto}.matrix td,.matrix tbody th{border-bottom:1px solid var(--hair);padding:1px 5px;text-align:center;min-width:14px}.matrix tbody th{text-align:left;white-space:nowrap}
.matrix thead th{height:190px;vertical-align:bottom;padding:0}.matrix thead th div{width:24px}.matrix thead th span{display:block;writing-mode:vertical-rl;transform:rotate(180deg);white-space:nowrap;max-height:186px;overflow:hidden}.matrix tr.empty th{color:var(--bad)}
article{padding:2px 0 6px}ul{margin:2px 0;padding-left:20px}:target{outline:2px solid var(--accent);outline-offset:4px}@media print{nav{display:none}article{break-inside:avoid}}
`.replace(/\n/g, '');
