import { formatNumber } from './format';

/** Which values stand for each other: the darker, the more. */
export function CorrelationTable({
  label,
  names,
  correlation,
}: {
  readonly label: string;
  readonly names: readonly string[];
  readonly correlation: readonly (readonly number[])[];
}) {
  return (
    <table className="table correlation" aria-label={label} data-testid="correlation">
      <thead>
        <tr>
          <th>Correlation</th>
          {names.map((n) => (
            <th key={n} className="num mono" title={n}>
              {n.split('.').at(-1)}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {names.map((n, i) => (
          <tr key={n}>
            <td className="mono">{n}</td>
            {correlation[i].map((r, j) => (
              <td
                key={j}
                className="num mono"
                style={{
                  background: `color-mix(in srgb, var(${r < 0 ? '--line-5' : '--accent'}) ${Math.round(45 * Math.abs(i === j || !Number.isFinite(r) ? 0 : r))}%, transparent)`,
                }}
              >
                {i === j ? '' : Number.isFinite(r) ? formatNumber(r, 2) : ''}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
