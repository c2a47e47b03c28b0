/** The service's own document: what it takes and what it answers, as models. */
import { readFileSync } from 'node:fs';

export interface Schema {
  $ref?: string;
  anyOf?: Schema[];
  oneOf?: Schema[];
  type?: string;
  format?: string;
  enum?: unknown[];
  const?: unknown;
  default?: unknown;
  items?: Schema;
  minItems?: number;
  maxItems?: number;
  minimum?: number;
  maximum?: number;
  exclusiveMinimum?: number;
  minLength?: number;
  maxLength?: number;
  pattern?: string;
  properties?: Record<string, Schema>;
  required?: string[];
  additionalProperties?: boolean | Schema;
}

type Content = Record<string, { schema: Schema }>;

export interface Operation {
  requestBody?: { content: Content };
  responses: Record<string, { content?: Content }>;
}

const DOCUMENT = JSON.parse(readFileSync('openapi.json', 'utf8')) as {
  paths: Record<string, Record<string, Operation>>;
  components: { schemas: Record<string, Schema> };
};

/** What the document says of a request to this path. */
export function described(path: string, method: string): Operation | undefined {
  const parts = path.split('/');
  const fits = (template: string) => {
    const wanted = template.split('/');
    return wanted.length === parts.length && wanted.every((part, n) => part === parts[n] || part.startsWith('{'));
  };
  return Object.entries(DOCUMENT.paths)
    .filter(([template, each]) => method.toLowerCase() in each && fits(template))
    .sort(([one], [other]) => one.split('{').length - other.split('{').length)[0]?.[1][method.toLowerCase()];
}

export const referred = (schema: Schema): Schema =>
  schema.$ref ? referred(DOCUMENT.components.schemas[schema.$ref.split('/').at(-1)!]!) : schema;

/** Says where a value is other than its model: nothing where it fits. */
export function misfits(given: Schema, value: unknown, at = 'body'): string[] {
  const schema = referred(given);
  const kinds = schema.anyOf ?? schema.oneOf;
  if (kinds) {
    const all = kinds.map((each) => misfits(each, value, at));
    return all.some((each) => !each.length)
      ? []
      : all.reduce((one, other) => (other.length < one.length ? other : one));
  }
  if (schema.const !== undefined) return value === schema.const ? [] : [`${at} is not ${String(schema.const)}`];
  if (schema.enum) return schema.enum.includes(value) ? [] : [`${at} is none of ${schema.enum.join(', ')}`];
  if (!isOf(schema.type, value)) return [`${at} is no ${schema.type}: ${JSON.stringify(value)}`];
  if (typeof value === 'string') return textual(schema, value, at);
  if (typeof value === 'number') return numeric(schema, value, at);
  if (Array.isArray(value)) return listed(schema, value, at);
  return value && typeof value === 'object' ? fielded(schema, value as Record<string, unknown>, at) : [];
}

function isOf(type: string | undefined, value: unknown): boolean {
  if (type === undefined) return true;
  if (type === 'null') return value === null;
  if (type === 'array') return Array.isArray(value);
  if (type === 'integer') return Number.isInteger(value);
  if (type === 'object') return typeof value === 'object' && value !== null && !Array.isArray(value);
  return typeof value === type;
}

function textual({ minLength = 0, maxLength = Infinity, pattern, format }: Schema, value: string, at: string) {
  const found = [];
  if (value.length < minLength || value.length > maxLength) found.push(`${at} is ${value.length} long`);
  if (pattern && !new RegExp(pattern, 'u').test(value)) found.push(`${at} is not as ${pattern}`);
  if (format === 'date' && !/^\d{4}-\d\d-\d\d$/.test(value)) found.push(`${at} is no day: ${value}`);
  return found;
}

function numeric(
  { minimum = -Infinity, maximum = Infinity, exclusiveMinimum = -Infinity }: Schema,
  value: number,
  at: string,
) {
  return value >= minimum && value <= maximum && value > exclusiveMinimum ? [] : [`${at} is out of bounds: ${value}`];
}

function listed({ items = {}, minItems = 0, maxItems = Infinity }: Schema, value: unknown[], at: string) {
  const many = value.length < minItems || value.length > maxItems ? [`${at} has ${value.length}`] : [];
  return [...many, ...value.flatMap((each, n) => misfits(items, each, `${at}.${n}`))];
}

function fielded(schema: Schema, value: Record<string, unknown>, at: string) {
  const { properties = {}, required = [], additionalProperties: more = true } = schema;
  const lacking = required.filter((name) => value[name] === undefined).map((name) => `${at} lacks ${name}`);
  const wrong = Object.entries(value).flatMap(([name, each]) => {
    const known = properties[name] ?? (typeof more === 'object' ? more : undefined);
    if (known) return misfits(known, each, `${at}.${name}`);
    return more ? [] : [`${at} has ${name}, which nobody knows`];
  });
  return [...lacking, ...wrong];
}
