/** Sixteen months as a ruler: the window solid, what it is compared with dashed. */
import type { Read } from './WindowBar';

const WIDTH = 118;
const DAYS = 487;
const day = (text: string) => Date.parse(`${text}T00:00:00Z`) / 86_400_000;

export function WindowRuler({ read }: { read: Read }) {
  const end = Math.max(day(read.complete_through), day(read.window.last)) + 1;
  const x = (text: string, after = 0) => Math.max(0, WIDTH - ((end - day(text) - after) / DAYS) * WIDTH);
  const bar = (first: string, last: string) => ({ x: x(first), width: Math.max(2, x(last, 1) - x(first)) });
  return (
    <svg width={WIDTH} height={10} aria-hidden="true">
      <path d={`M0 8.500H${WIDTH}`} stroke="var(--edge)" />
      {Array.from({ length: 17 }, (_, n) => (
        <path key={n} d={`M${(n * WIDTH) / 16} 5.500v3`} stroke="var(--edge)" />
      ))}
      {read.against && (
        <rect
          {...bar(read.against.first, read.against.last)}
          y={1}
          height={6}
          fill="var(--sheet)"
          stroke="var(--ink2)"
          strokeDasharray="2 1.500"
        />
      )}
      <rect {...bar(read.window.first, read.window.last)} y={1} height={6} fill="var(--ink)" />
    </svg>
  );
}
