/** A few choices beside one another, of which one is taken. */

export function Choice<T extends string | boolean>(props: {
  label: string;
  value: T;
  options: [T, string][];
  onChange: (value: T) => void;
}) {
  return (
    <fieldset className="choice" aria-label={props.label}>
      {props.options.map(([value, label]) => (
        <button
          key={label}
          type="button"
          aria-pressed={props.value === value}
          onClick={() => props.onChange(value)}
        >
          {label}
        </button>
      ))}
    </fieldset>
  );
}
