import { anchorOf, reportStyle } from '../formats/report-html';
import { escapeXml as x } from '../formats/xml';
import type { Evidence } from './evidence';
import { momentText, tablesOf, type EvidenceCell, type EvidenceTable } from './tables';

/** Marks the data that a page was written from. */
const begins = '<script type="application/json" id="evidence">';
const ends = '</script>';

/** Evidence as one page that needs nothing else; the same evidence is the same text. */
export function writeHtml(e: Evidence): string {
  const tables = tablesOf(e);
  const { conclusion: c } = e;
  const [tone, words] =
    c.verdict === 'does not conform'
      ? [
          'fails',
          `Does not conform: ${c.notMet} of ${e.requirements.length} requirements are not met, ${c.failed} outcomes failed.`,
        ]
      : c.verdict === 'not decided'
        ? [
            'undecided',
            `Not decided: ${c.open} of ${e.requirements.length} requirements are open, ${c.without} of ${c.passed + c.without} outcomes are missing.`,
          ]
        : ['holds', `Conforms: all ${e.requirements.length} requirements are met, and all outcomes passed.`];
  // nothing of the data can end it
  const data = JSON.stringify(e).replaceAll('<', '\\u003c');
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${x(e.project.name)}: evidence</title><style>${reportStyle}${ownStyle}</style></head><body><main>
<h1>${x(e.project.name)}</h1><p class="quiet">Evidence, put together ${x(momentText(e.made))}</p>
<p class="says ${tone}">${x(words)} ${c.points.length > 0 ? `<a href="#${anchorOf('Open points')}">${c.points.length} open points</a>` : 'No point is open.'}</p>
<nav>${tables.map((t) => `<a href="#${anchorOf(t.title)}">${x(t.title)}</a>`).join(' ')}</nav>
${tables.map(tableHtml).join('\n')}
<p class="quiet">SHA-256 of the data in this file: <code>${x(e.sha256)}</code>. It tells whether something was changed by accident or by hand; it is no signature.</p></main>
${begins}${data}${ends}
</body></html>
`;
}

/** The data a page was written from; undefined where there is none. */
export function dataInHtml(html: string): string | undefined {
  const from = html.lastIndexOf(begins);
  const to = from < 0 ? -1 : html.indexOf(ends, from);
  return to < 0 ? undefined : html.slice(from + begins.length, to);
}

function tableHtml(t: EvidenceTable): string {
  const body =
    t.rows.length === 0
      ? `<p class="quiet">${x(t.empty)}</p>`
      : `<div class="wide"><table class="list"><thead><tr>${t.head.map((h) => `<th>${x(h)}</th>`).join('')}</tr></thead><tbody>
${t.rows.map((r) => `<tr${r.id === '' ? '' : ` id="${anchorOf(r.id)}"`}>${r.cells.map(cellHtml).join('')}</tr>`).join('\n')}
</tbody></table></div>`;
  const note = t.note === '' ? '' : `<p class="quiet">${x(t.note)}</p>`;
  return `<section id="${anchorOf(t.title)}"><h2>${x(t.title)}</h2>${note}${
    t.isFolded && t.rows.length > 0 ? `<details><summary>${t.rows.length} rows</summary>${body}</details>` : body
  }</section>`;
}

function cellHtml({ text, to, tone, isCode }: EvidenceCell): string {
  const own = isCode ? `<code>${x(text)}</code>` : x(text);
  const linked = to === undefined || text === '' ? own : `<a href="#${anchorOf(to)}">${own}</a>`;
  return `<td${tone ? ` class="${{ good: 'holds', bad: 'bad', quiet: 'quiet' }[tone]}"` : ''}>${linked}</td>`;
}

const ownStyle = `
.says{font-size:16px;margin:14px 0;padding:8px 12px;border-left:3px solid currentColor}thead th{color:var(--quiet);position:sticky;top:0;background:var(--paper)}
main{max-width:1240px}nav{line-height:1.9}code{white-space:pre-wrap;overflow-wrap:anywhere}td.bad a,td.holds a{color:inherit}summary{cursor:pointer;color:var(--accent)}@media print{details{display:block}}
`.replace(/\n/g, '');
