'use client';
import { Download } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { Progress } from '@/ui/progress';
import type { Project } from '@/core/project/project';
import type { ReportInput } from '@/core/trace/report';
import { makeReport } from '@/store/exchange';
import { goTo } from '@/store/locate';
import { usePlace } from '@/store/place-store';
import { useRuns } from '@/store/run-store';
import { useStandings } from '@/store/standings';
import { Button } from '@/ui/button';
import { download, fileName } from '@/ui/download';

/** The report as it would be handed over; names in it lead to the things themselves. */
export function ReportSheet({ project }: { readonly project: Project }) {
  const theme = usePlace((s) => s.theme);
  const standing = useStandings();
  const history = useRuns((s) => s.history);
  const [html, setHtml] = useState('');
  const [share, setShare] = useState(0);
  const [stopped, setStopped] = useState(false);
  const frame = useRef<HTMLIFrameElement>(null);
  const cancel = useRef(false);
  const input = useMemo(
    (): ReportInput => ({
      project,
      standings: new Map(
        project.requirements.map((r) => {
          // the runs themselves stay here
          const { basis, finding, doubt, setup } = standing(r);
          return [r.id, { basis, finding, doubt, setup }];
        }),
      ),
      made: new Date().toLocaleString('sv-SE').slice(0, 16),
      dark: theme === 'dark',
      runs: history.slice(0, 30).map((h) => ({
        setup: h.setup,
        changes: h.changes,
        at: new Date(h.at).toLocaleString('sv-SE').slice(0, 16),
        holds: h.findings.filter((f) => f.verdict === 'holds').length,
        fails: h.findings.filter((f) => f.verdict === 'fails').length,
        undecided: h.findings.filter((f) => f.verdict === 'undecided').length,
      })),
    }),
    [project, standing, history, theme],
  );
  useEffect(() => {
    if (stopped) return;
    let wanted = true;
    cancel.current = false;
    const timer = setTimeout(() => {
      setShare(0);
      makeReport(input, (s) => {
        if (wanted) setShare(s);
        return wanted && !cancel.current;
      })
        .then((text) => wanted && (text === undefined ? setStopped(true) : setHtml(text)))
        .catch(() => wanted && setStopped(true));
    }, 120);
    return () => {
      wanted = false;
      clearTimeout(timer);
    };
  }, [input, stopped]);
  // the frame has the application's own origin, so its links can be followed here
  const follow = (): void => {
    const inside = frame.current?.contentDocument;
    if (!inside) return;
    // the file names its fonts; here they are at hand
    const fonts = [...document.styleSheets].flatMap((s) =>
      [...s.cssRules]
        .filter((r) => r instanceof CSSFontFaceRule)
        .map((r) =>
          r.cssText.replace(
            /url\("?([^")]+)"?\)/g,
            (_, at: string) => `url("${new URL(at, s.href ?? document.baseURI).href}")`,
          ),
        ),
    );
    inside.head.append(Object.assign(inside.createElement('style'), { textContent: fonts.join('\n') }));
    inside.addEventListener('click', (e) => {
      const anchor = (e.target as Element).closest('a');
      if (!anchor) return;
      e.preventDefault();
      const address = anchor.getAttribute('data-address');
      if (address) goTo(address);
      else inside.querySelector(anchor.getAttribute('href') ?? '#none')?.scrollIntoView();
    });
  };
  const save = async (): Promise<void> => {
    const text = await makeReport({ ...input, dark: false }, () => true);
    if (text) download(`${fileName(project.name)}-report.html`, 'text/html', text);
  };
  const busy = !stopped && share < 1 && html === '';
  return (
    <>
      <div className="pane-head">
        <h2>Report</h2>
        <span className="quiet">one file with everything in it; names here lead to the things themselves</span>
        <Button onClick={() => void save()} disabled={html === ''} data-testid="save-report">
          <Download size={14} aria-hidden /> Save as HTML
        </Button>
      </div>
      {busy && (
        <div className="p-4" role="status">
          <p>Making the report …</p>
          <Progress now={share * 100} label="Report" />
          <Button
            className="mt-3"
            onClick={() => {
              cancel.current = true;
              setStopped(true);
            }}
          >
            Stop
          </Button>
        </div>
      )}
      {stopped && html === '' && (
        <div className="empty">
          The report was not made. <Button onClick={() => setStopped(false)}>Make it</Button>
        </div>
      )}
      {html !== '' && (
        <iframe
          ref={frame}
          className="report-frame"
          title="Report"
          srcDoc={html}
          onLoad={follow}
          sandbox="allow-same-origin allow-modals"
          data-testid="report-frame"
        />
      )}
    </>
  );
}
