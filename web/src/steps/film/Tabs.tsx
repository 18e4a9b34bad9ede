/** A row of words of which one is chosen. */
export function Tabs({ value, tabs, onChange }: { value: string; tabs: [string, string][]; onChange: (value: string) => void }) {
  return (
    <div role="tablist" className="mb-1 flex shrink-0 gap-1">
      {tabs.map(([id, label]) => (
        <button
          key={id}
          type="button"
          role="tab"
          aria-selected={value === id}
          onClick={() => onChange(id)}
          className={`h-6 rounded px-1.5 ${value === id ? "bg-shelf text-bright" : "text-dim hover:text-bright"}`}
        >
          {label}
        </button>
      ))}
    </div>
  );
}
