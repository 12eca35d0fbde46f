/** How far something is, in parts of a hundred. */
export function Progress({ now, label }: { readonly now: number; readonly label: string }) {
  return (
    <div className="progress" style={{ maxWidth: 420, height: 6 }}>
      <div
        className="progress-bar"
        role="progressbar"
        aria-label={label}
        aria-valuenow={Math.round(now)}
        aria-valuemin={0}
        aria-valuemax={100}
        style={{ width: `${now}%` }}
      />
    </div>
  );
}
