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
  row: (index: number) => ComponentChildren;
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
    // A head stays in sight above the rows.
    const room = element.clientHeight - (head ? rowHeight : 0);
    const above = index * rowHeight;
    if (above < element.scrollTop) {
      element.scrollTop = above;
    } else if (above + rowHeight > element.scrollTop + room) {
      element.scrollTop = above + rowHeight - room;
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
  const indexOf = (event: MouseEvent) => {
    const row = event.target instanceof Element ? event.target.closest<HTMLElement>('[data-index]') : null;
    return row ? Number(row.dataset.index) : undefined;
  };
  const onPointer = (event: MouseEvent, action: ((index: number) => void) | undefined) => {
    const index = indexOf(event);
    if (index !== undefined) {
      action?.(index);
    }
  };
  const isGrid = role === 'grid';
  const idOf = (index: number) => `${label.replaceAll(/\W/g, '-')}-${index}`;
  const rows = [];
  for (let index = first; index < last; index += 1) {
    const style = { height: `${rowHeight}px`, top: `${index * rowHeight}px` };
    const shared = { key: index, class: `row${index === selected ? ' selected' : ''}`, style };
    rows.push(
      isGrid ? (
        <div
          {...shared}
          role="row"
          id={idOf(index)}
          data-index={index}
          aria-rowindex={index + 2}
          aria-selected={index === selected}
        >
          {row(index)}
        </div>
      ) : (
        <li {...shared}>{row(index)}</li>
      ),
    );
  }
  const style = { height: `${count * rowHeight}px` };
  const body = { ref: box, class: 'rows', style: { maxHeight: `${height}px` } };
  const onScroll = (event: { currentTarget: Element }) => setTop(event.currentTarget.scrollTop);
  return isGrid ? (
    <div class="window">
      <div
        {...body}
        tabIndex={0}
        role="grid"
        aria-label={label}
        aria-rowcount={count + 1}
        aria-activedescendant={selected >= 0 && onSelect ? idOf(selected) : undefined}
        onScroll={onScroll}
        onKeyDown={onKeyDown}
        onClick={(event) => onPointer(event, onSelect)}
        onDblClick={(event) => onPointer(event, onOpen)}
      >
        {head}
        <div role="rowgroup" class="inner" style={style}>
          {rows}
        </div>
      </div>
    </div>
  ) : (
    <section class="window list" aria-label={label}>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reachable by keyboard */}
      <div {...body} tabIndex={0} onScroll={onScroll}>
        <ol class="inner" style={style}>
          {rows}
        </ol>
      </div>
    </section>
  );
}
