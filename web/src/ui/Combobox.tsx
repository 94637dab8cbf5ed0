import { useId, useMemo, useRef, useState } from "react";

export interface Choice {
  value: string;
  /** Shown beside the value, smaller. */
  hint: string;
}

interface Props {
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** Called when the person has settled on a value. */
  onCommit: (value: string) => void;
  choices: Choice[];
  placeholder: string;
  inputRef?: React.Ref<HTMLInputElement>;
  width?: string;
}

const SHOWN = 12;

/** A text field that offers what the survey knows while one types. */
export function Combobox({
  label, value, onChange, onCommit, choices, placeholder, inputRef, width = "13rem",
}: Props) {
  const id = useId();
  const [open, setOpen] = useState(false);
  const [active, setActive] = useState(-1);
  const list = useRef<HTMLUListElement>(null);
  const offered = useMemo(() => {
    const word = value.trim().toLowerCase();
    if (!word) return choices.slice(0, SHOWN);
    const starts = choices.filter((choice) => choice.value.toLowerCase().startsWith(word));
    const holds = choices.filter(
      (choice) =>
        !choice.value.toLowerCase().startsWith(word) &&
        `${choice.value} ${choice.hint}`.toLowerCase().includes(word),
    );
    return [...starts, ...holds].slice(0, SHOWN);
  }, [choices, value]);
  const hint = choices.find((choice) => choice.value === value)?.hint ?? "";

  const take = (choice: string) => {
    onChange(choice);
    onCommit(choice);
    setOpen(false);
    setActive(-1);
  };

  return (
    <span className="relative inline-block" style={{ width }}>
      <input
        ref={inputRef}
        role="combobox"
        aria-label={label}
        aria-expanded={open && offered.length > 0}
        aria-controls={`${id}-list`}
        aria-autocomplete="list"
        aria-activedescendant={active >= 0 ? `${id}-${active}` : undefined}
        autoComplete="off"
        spellCheck={false}
        className="input input-sm w-full font-semibold"
        title={hint}
        placeholder={placeholder}
        value={value}
        onFocus={(event) => event.target.select()}
        onChange={(event) => {
          onChange(event.target.value);
          setOpen(true);
          setActive(-1);
        }}
        onClick={() => setOpen(true)}
        onBlur={() => {
          setOpen(false);
          onCommit(value);
        }}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown" || event.key === "ArrowUp") {
            event.preventDefault();
            setOpen(true);
            const step = event.key === "ArrowDown" ? 1 : -1;
            setActive((active + step + offered.length) % Math.max(offered.length, 1));
          } else if (event.key === "Enter") {
            const choice = offered[active];
            if (open && choice) {
              event.preventDefault();
              take(choice.value);
            } else {
              setOpen(false);
              onCommit(value);
            }
          } else if (event.key === "Escape" && open) {
            event.stopPropagation();
            setOpen(false);
          }
        }}
      />
      {open && offered.length > 0 ? (
        <ul
          ref={list}
          id={`${id}-list`}
          role="listbox"
          aria-label={label}
          className="absolute top-full left-0 z-40 mt-1 max-h-80 min-w-full overflow-auto rounded-box border border-base-300 bg-base-100 py-1 shadow-lg"
        >
          {offered.map((choice, index) => (
            <li
              key={choice.value}
              id={`${id}-${index}`}
              role="option"
              aria-selected={index === active}
              className={`flex cursor-pointer gap-3 px-3 py-1 whitespace-nowrap ${index === active ? "bg-base-200" : ""}`}
              onMouseDown={(event) => {
                // Before the field loses the focus, so that the choice is what is committed.
                event.preventDefault();
                take(choice.value);
              }}
              onMouseEnter={() => setActive(index)}
            >
              <span className="font-semibold">{choice.value}</span>
              <span className="mono soft ml-auto">{choice.hint}</span>
            </li>
          ))}
        </ul>
      ) : null}
    </span>
  );
}
