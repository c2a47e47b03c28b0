/** Taking rows and charts out of the console: as text, as files, as pictures. */
import { t } from '@lingui/core/macro';
import { Trouble, send } from './api';

export type Cell = string | number | null;

const BEGINS = /^'*(?:[=@\t\r\n]|[+-](?![\d.,]+%?\s*$))/;

/** Makes a text harmless for spreadsheets that would run it: an apostrophe in front, as the service's own files have. */
export function harmless(text: string): string {
  return BEGINS.test(text) ? `'${text}` : text;
}

/** Writes cells as CSV (RFC 4180). */
export function csv(cells: readonly Cell[][]): string {
  return cells.map((row) => row.map((cell) => quoted(cell, ',')).join(',')).join('\r\n') + '\r\n';
}

/** Writes cells the way spreadsheets take them from the clipboard. */
export function tabbed(cells: readonly Cell[][]): string {
  return cells
    .map((row) =>
      row
        .map((cell) => (typeof cell === 'string' ? harmless(cell.replace(/[\t\r\n]+/g, ' ')) : String(cell ?? '')))
        .join('\t'),
    )
    .join('\n');
}

function quoted(cell: Cell, separator: string): string {
  const text = typeof cell === 'string' ? harmless(cell) : String(cell ?? '');
  return text.includes(separator) || /["\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

const STYLES = [
  'fill',
  'fill-opacity',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'stroke-opacity',
  'opacity',
  'font-family',
  'font-size',
  'font-weight',
  'text-anchor',
  'dominant-baseline',
  'display',
  'visibility',
];

/** Writes a chart as an SVG that stands alone: styles written out, on the paper it was drawn on. */
export function standalone(svg: SVGSVGElement): string {
  const { width, height } = svg.getBoundingClientRect();
  const copy = svg.cloneNode(true) as SVGSVGElement;
  const originals = [svg, ...svg.querySelectorAll('*')];
  for (const [n, element] of [copy, ...copy.querySelectorAll('*')].entries()) {
    const style = getComputedStyle(originals[n] as Element);
    for (const name of STYLES)
      if (style.getPropertyValue(name)) (element as SVGElement).style.setProperty(name, style.getPropertyValue(name));
  }
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
  copy.setAttribute('width', String(width));
  copy.setAttribute('height', String(height));
  const paper = document.createElementNS('http://www.w3.org/2000/svg', 'rect');
  for (const [name, value] of Object.entries({
    width: '100%',
    height: '100%',
    fill: getComputedStyle(document.body).backgroundColor,
  }))
    paper.setAttribute(name, value);
  copy.prepend(paper);
  return new XMLSerializer().serializeToString(copy);
}

const SHARPNESS = 2;

/** Draws a chart as PNG, at twice the pixels of the screen's. */
export async function png(svg: SVGSVGElement): Promise<Blob> {
  const { width, height } = svg.getBoundingClientRect();
  const picture = new Image();
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(standalone(svg))}`;
  await picture.decode();
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [Math.round(width * SHARPNESS), Math.round(height * SHARPNESS)];
  canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  return new Promise((done, failed) =>
    canvas.toBlob((blob) => (blob ? done(blob) : failed(new Error(t`The chart could not be drawn.`))), 'image/png'),
  );
}

/** Puts a text on the clipboard; over plain HTTP browsers give none to pages, and copy what is selected at most. */
export async function toClipboard(text: string): Promise<void> {
  const clipboard = navigator.clipboard as Clipboard | undefined;
  if (clipboard) return clipboard.writeText(text);
  const held = document.createElement('textarea');
  held.value = text;
  // a dialog lets nothing outside of it have the focus
  const before = document.activeElement as HTMLElement | null;
  (before?.closest('[role="dialog"]') ?? document.body).append(held);
  held.focus();
  held.select();
  const done = document.execCommand?.('copy') ?? false;
  held.remove();
  before?.focus();
  if (!done)
    throw new Trouble(
      'no-clipboard',
      t`This browser lets the page copy nothing.`,
      t`Select it and copy it, or open the console over HTTPS.`,
      0,
    );
}

/** Hands a file to the browser. */
export function save(blob: Blob, name: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(blob);
  link.download = name;
  link.click();
  window.setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}

/** Has the service write cells as XLSX. */
export async function xlsx(name: string, cells: readonly Cell[][]): Promise<Blob> {
  return send<Blob>('POST', '/tables', { name, cells });
}

export function fileName(title: string, ending: string): string {
  return `${
    title
      .toLowerCase()
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^-|-$/g, '') || 'taken'
  }.${ending}`;
}
