/** One of a few, as a row of words; the one that holds stands out. */
export function Chosen<T extends string>({
  label,
  value,
  names,
  choose,
}: {
  label: string;
  value: T;
  names: Record<T, string>;
  choose: (next: T) => void;
}) {
  return (
    <div role="group" aria-label={label} className="switch">
      {(Object.keys(names) as T[]).map((each) => (
        <button key={each} type="button" className="plain" aria-pressed={value === each} onClick={() => choose(each)}>
          {names[each]}
        </button>
      ))}
    </div>
  );
}
