/** The evidence mark: mastered filled, nearly half, not yet empty, thin dotted, no evidence nothing; ink and shape. */
const SIDE = 11;

/** ``state``: a place in mastered, nearly, not yet, thin evidence, no evidence. */
export function EvidenceMark({ state, name }: { state: number; name?: string }) {
  if (state > 3) return name ? <span className="unseen">{name}</span> : null;
  return (
    <svg width={SIDE} height={SIDE} role={name ? "img" : undefined} aria-label={name} aria-hidden={!name}>
      <rect
        x={0.75}
        y={0.75}
        width={SIDE - 1.5}
        height={SIDE - 1.5}
        fill={state === 0 ? "var(--ink)" : "none"}
        stroke={state === 3 ? "var(--rule)" : "var(--ink)"}
        strokeWidth={1.3}
        strokeDasharray={state === 3 ? "1.5 2" : undefined}
      />
      {state === 1 && (
        <path d={`M1 ${SIDE - 1} L${SIDE - 1} 1 L${SIDE - 1} ${SIDE - 1} Z`} fill="var(--ink)" />
      )}
    </svg>
  );
}
