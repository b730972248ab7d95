import type { ComponentChildren } from 'preact';
import { useEffect, useLayoutEffect, useRef, useState } from 'preact/hooks';

/** Rows above and below what is seen that are there as well. */
const SPARE = 12;

interface WindowProps {
  label: string;
  count: number;
  /** Pixels of one row; all are alike, so that a hundred thousand cost no more than what is seen. */
  rowHeight: number;
  /** Pixels at most. */
  height: number;
  selected?: number;
  /** Scrolls a row into sight whenever it changes. */
  reveal?: number;
  role: 'grid' | 'list';
  head?: ComponentChildren;
  row: (index: number, isSelected: boolean) => ComponentChildren;
  onSelect?: (index: number) => void;
  onOpen?: (index: number) => void;
}

/** A long list of which only the rows in sight are there. Arrow keys move, Enter opens. */
export function Window(props: WindowProps) {
  const { label, count, rowHeight, height, selected = -1, reveal, role, head, row, onSelect, onOpen } = props;
  const box = useRef<HTMLDivElement>(null);
  const [top, setTop] = useState(0);
  const first = Math.max(0, Math.floor(top / rowHeight) - SPARE);
  const last = Math.min(count, Math.ceil((top + height) / rowHeight) + SPARE);

  const show = (index: number) => {
    const element = box.current;
    if (element === null) {
      return;
    }
    const above = index * rowHeight;
    if (above < element.scrollTop) {
      element.scrollTop = above;
    } else if (above + rowHeight > element.scrollTop + element.clientHeight) {
      element.scrollTop = above + rowHeight - element.clientHeight;
    }
  };
  useLayoutEffect(() => {
    if (reveal !== undefined && box.current !== null) {
      box.current.scrollTop = Math.max(0, reveal * rowHeight - height / 3);
    }
  }, [reveal]);
  useEffect(() => {
    if (box.current !== null && top > count * rowHeight) {
      box.current.scrollTop = 0;
    }
  }, [count]);

  const move = (to: number) => {
    const index = Math.max(0, Math.min(count - 1, to));
    onSelect?.(index);
    show(index);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const page = Math.max(1, Math.floor(height / rowHeight) - 1);
    const steps: Record<string, number> = {
      ArrowDown: selected + 1,
      ArrowUp: selected - 1,
      PageDown: selected + page,
      PageUp: selected - page,
      Home: 0,
      End: count - 1,
    };
    const to = steps[event.key];
    if (to !== undefined && onSelect) {
      event.preventDefault();
      move(to);
    } else if (event.key === 'Enter' && selected >= 0) {
      onOpen?.(selected);
    }
  };
  const rowRole = role === 'grid' ? 'row' : 'listitem';
  const id = (index: number) => `${label.replaceAll(' ', '-')}-${index}`;
  const rows = [];
  for (let index = first; index < last; index += 1) {
    rows.push(
      <div
        key={index}
        id={id(index)}
        role={rowRole}
        aria-rowindex={role === 'grid' ? index + 2 : undefined}
        aria-selected={role === 'grid' ? index === selected : undefined}
        class={`row${index === selected ? ' selected' : ''}`}
        style={{ height: `${rowHeight}px`, top: `${index * rowHeight}px` }}
        onClick={() => onSelect?.(index)}
        onDblClick={() => onOpen?.(index)}
      >
        {row(index, index === selected)}
      </div>,
    );
  }
  return (
    <div
      class="window"
      role={role}
      aria-label={label}
      aria-rowcount={role === 'grid' ? count + 1 : undefined}
    >
      {head}
      <div
        ref={box}
        class="rows"
        role="presentation"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reachable by keyboard
        tabIndex={0}
        aria-activedescendant={selected >= 0 && onSelect ? id(selected) : undefined}
        style={{ maxHeight: `${height}px` }}
        onScroll={(event) => setTop(event.currentTarget.scrollTop)}
        onKeyDown={onKeyDown}
      >
        <div role="presentation" style={{ height: `${count * rowHeight}px`, position: 'relative' }}>
          {rows}
        </div>
      </div>
    </div>
  );
}
