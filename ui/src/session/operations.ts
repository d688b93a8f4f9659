/**
 * Operations: small changes to a document, addressed by internal ids.
 *
 * Items of a list (modules, routes, notes, strikes, points) have internal ids, called keys. A key stays with its item
 * when the item is renamed or moved, and it is never part of the document: this module keeps the keys of each list
 * beside it. `compare` finds the operations between two documents and gives the second one its keys; `apply` applies
 * operations. `core/document/operations.py` has the same two functions; `tests/operations.json` has cases for both.
 */
import type { components } from '../api/schema.gen';

type Schemas = components['schemas'];
export type Operation =
  Schemas['SetValue'] | Schemas['Unset'] | Schemas['Insert'] | Schemas['Remove'] | Schemas['Order'];

/** Keys of a value where they differ from "0", "1", ...: of a list's items, and of what is inside, by field or key. */
export interface KeyTree {
  keys?: string[];
  in?: Record<string, KeyTree>;
}
type Fields = Record<string, unknown>;

const KEY_BYTES = 5;
/** Operations on the points of one list. A list with more changes is set whole, with its keys. */
const MAX_POINT_OPERATIONS = 64;

/** The keys of each list's items. A list that is not here has the keys "0", "1", ... */
const known = new WeakMap<readonly unknown[], readonly string[]>();

/** An operation that leads to nothing, such as one on a module that was removed. */
export class Gone extends Error {}

const isFields = (value: unknown): value is Fields =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Returns whether a list's items have keys: objects, or points, which are lists of numbers. */
function hasKeys(value: unknown): value is unknown[] {
  if (!Array.isArray(value)) return false;
  const isPoint = (item: unknown): boolean =>
    Array.isArray(item) && item.every((each) => typeof each !== 'object' || each === null);
  return value.every(isFields) || value.every(isPoint);
}

/** Returns the keys of a list's items, in order. */
export function keysOf(items: readonly unknown[]): readonly string[] {
  return known.get(items) ?? items.map((_, place) => String(place));
}

/** Gives the lists of a document the keys that came with it. */
export function register(value: unknown, { keys, in: below }: KeyTree): void {
  if (Array.isArray(value) && keys?.length === value.length) known.set(value, keys);
  for (const [name, tree] of Object.entries(below ?? {})) register(inside(value, name), tree);
}

/** Returns the keys of a value where they differ from "0", "1", .... */
export function treeOf(value: unknown): KeyTree {
  const below: Record<string, KeyTree> = {};
  const put = (name: string, item: unknown): void => {
    const tree = treeOf(item);
    if (tree.keys || tree.in) below[name] = tree;
  };
  if (isFields(value)) for (const [name, item] of Object.entries(value)) put(name, item);
  const isList = hasKeys(value);
  if (isList && value.some(isFields)) keysOf(value).forEach((key, place) => put(key, value[place]));
  const keys = isList ? known.get(value) : undefined;
  const isOwn = keys?.some((key, place) => key !== String(place)) ?? false;
  return { ...(isOwn ? { keys: [...keys!] } : {}), ...(Object.keys(below).length > 0 ? { in: below } : {}) };
}

/** Returns what is in an object under a name, or in a list under a key. */
function inside(value: unknown, name: string): unknown {
  if (Array.isArray(value)) return value[keysOf(value).indexOf(name)] as unknown;
  return isFields(value) ? value[name] : undefined;
}

/**
 * Returns the operations that lead from a document to another, and gives the lists of the other their keys.
 *
 * Items of lists are matched by identity, by their ids or values, then by kind and in order, so that an item keeps its
 * key when it is moved, and when a field of it changes.
 */
export function compare(before: object, after: object): Operation[] {
  const comparison = { found: [], keeps: false };
  compareValues(before, after, [], comparison);
  return comparison.found;
}

/** Returns the operations as `compare` does; lists of the second document that have keys keep them. */
export function compareByKeys(before: object, after: object): Operation[] {
  const comparison = { found: [], keeps: true };
  compareValues(before, after, [], comparison);
  return comparison.found;
}

interface Comparison {
  readonly found: Operation[];
  /** Whether lists keep the keys that they have. */
  readonly keeps: boolean;
}

function compareValues(before: unknown, after: unknown, at: string[], comparison: Comparison): void {
  if (before === after) return;
  if (isFields(before) && isFields(after)) compareFields(before, after, at, comparison);
  else if (hasKeys(before) && hasKeys(after)) compareLists(before, after, at, comparison);
  else if (textOf(before) !== textOf(after)) comparison.found.push(setTo(at, after));
}

const setTo = (at: string[], value: unknown): Operation => ({ op: 'set', at, value, keys: asKeys(value) });

/** The tree as the API has it: an object of any names. */
const asKeys = (value: unknown): Record<string, unknown> => ({ ...treeOf(value) });

function compareFields(before: Fields, after: Fields, at: string[], comparison: Comparison): void {
  for (const [name, value] of Object.entries(after)) {
    if (value === undefined) continue;
    if (before[name] !== undefined) compareValues(before[name], value, [...at, name], comparison);
    else comparison.found.push(setTo([...at, name], value));
  }
  for (const [name, value] of Object.entries(before)) {
    if (value !== undefined && after[name] === undefined) comparison.found.push({ op: 'unset', at: [...at, name] });
  }
}

function compareLists(before: unknown[], after: unknown[], at: string[], comparison: Comparison): void {
  const had = keysOf(before);
  const keys = (comparison.keeps && known.get(after)) || matched(before, had, after);
  known.set(before, had);
  known.set(after, keys);
  const left = new Set(keys);
  const items = new Map(had.map((key, place) => [key, before[place]]));
  if (!after.some(isFields) && !before.some(isFields)) {
    const removed = had.filter((key) => !left.has(key)).length;
    const changed = keys.filter((key, place) => textOf(items.get(key)) !== textOf(after[place])).length;
    if (removed + changed > MAX_POINT_OPERATIONS) return void comparison.found.push(setTo(at, after));
  }
  for (const key of had) if (!left.has(key)) comparison.found.push({ op: 'remove', at, key });
  const order = had.filter((key) => left.has(key));
  keys.forEach((key, place) => {
    const value = after[place];
    if (items.has(key)) return compareValues(items.get(key), value, [...at, key], comparison);
    const previous = place > 0 ? keys[place - 1]! : null;
    comparison.found.push({ op: 'insert', at, after: previous, key, value, keys: asKeys(value) });
    order.splice(previous === null ? 0 : order.indexOf(previous) + 1, 0, key);
  });
  if (order.some((key, place) => key !== keys[place])) comparison.found.push({ op: 'order', at, keys: [...keys] });
}

/** Returns a key for each item of a list that was `before`: that of the item which it was, or a fresh one. */
function matched(before: unknown[], had: readonly string[], after: unknown[]): string[] {
  const keys: (string | undefined)[] = after.map(() => undefined);
  const left = new Map(had.map((key, place) => [key, before[place]]));
  // A list that an edit gave a key once, such as one that undo brings back, has it again.
  const own = known.get(after);
  for (const identity of [(item: unknown) => item, idOf, kindOf]) {
    const waiting = new Map<unknown, string[]>();
    for (const [key, item] of left) {
      const same = waiting.get(identity(item));
      if (same) same.push(key);
      else waiting.set(identity(item), [key]);
    }
    after.forEach((item, place) => {
      if (keys[place] !== undefined) return;
      const key = waiting.get(identity(item))?.shift();
      if (key === undefined) return;
      keys[place] = key;
      left.delete(key);
    });
  }
  const taken = new Set([...had, ...keys]);
  return keys.map((key, place) => {
    const again = own?.[place];
    return key ?? (again !== undefined && !taken.has(again) ? again : freshKey());
  });
}

/** Returns an item's id, or its text where it has none: items of one id are the same item. */
const idOf = (item: unknown): string => (isFields(item) && 'id' in item ? `id ${String(item['id'])}` : textOf(item));

/** Returns an item's kind: an item that was renamed or changed is matched with one of its kind. */
const kindOf = (item: unknown): string => (isFields(item) ? `kind ${String(item['kind'])}` : 'values');

/** Returns JSON with the fields in the order of their names. */
function textOf(value: unknown): string {
  return JSON.stringify(value, (_, inner: unknown) =>
    isFields(inner) ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : 1))) : inner
  );
}

function freshKey(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(KEY_BYTES));
  return Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join('');
}

/** Returns a document with operations applied. It shares with the given one what no operation changes. */
export function apply<D extends object>(document: D, operations: readonly Operation[]): D {
  let value: unknown = document;
  for (const operation of operations) {
    const isField = operation.op === 'set' || operation.op === 'unset';
    value = replaced(value, isField ? operation.at.slice(0, -1) : operation.at, operation);
  }
  return value as D;
}

function replaced(value: unknown, path: readonly string[], operation: Operation): unknown {
  const [name, ...rest] = path;
  if (name === undefined) return acted(value, operation);
  if (Array.isArray(value)) {
    const place = placeOf(value, name, operation);
    return withKeys(value.with(place, replaced(value[place], rest, operation)), keysOf(value));
  }
  if (isFields(value) && name in value) return { ...value, [name]: replaced(value[name], rest, operation) };
  throw gone(operation);
}

function acted(value: unknown, operation: Operation): unknown {
  switch (operation.op) {
    case 'set': {
      const name = operation.at.at(-1)!;
      register(operation.value, (operation.keys ?? {}) as KeyTree);
      if (Array.isArray(value))
        return withKeys(value.with(placeOf(value, name, operation), operation.value), keysOf(value));
      if (isFields(value)) return { ...value, [name]: operation.value };
      throw gone(operation);
    }
    case 'unset': {
      if (!isFields(value)) throw gone(operation);
      const { [operation.at.at(-1)!]: _, ...others } = value;
      return others;
    }
    case 'insert': {
      const [items, keys] = listOf(value, operation);
      register(operation.value, (operation.keys ?? {}) as KeyTree);
      const there = keys.indexOf(operation.key);
      if (there >= 0) return withKeys(items.with(there, operation.value), keys);
      const previous = operation.after == null ? -1 : keys.indexOf(operation.after);
      const place = previous < 0 && operation.after != null ? items.length : previous + 1;
      return withKeys(items.toSpliced(place, 0, operation.value), keys.toSpliced(place, 0, operation.key));
    }
    case 'remove': {
      const [items, keys] = listOf(value, operation);
      const place = keys.indexOf(operation.key);
      return place < 0 ? value : withKeys(items.toSpliced(place, 1), keys.toSpliced(place, 1));
    }
    case 'order': {
      const [items, keys] = listOf(value, operation);
      const ranks = new Map(operation.keys.map((key, rank) => [key, rank]));
      // Items that the operation does not name, such as those of another window, stay after the item before them.
      let rank = -1;
      const order = keys.map((key, place) => ({ rank: (rank = ranks.get(key) ?? rank), place }));
      order.sort((a, b) => a.rank - b.rank || a.place - b.place);
      return withKeys(
        order.map(({ place }) => items[place]),
        order.map(({ place }) => keys[place]!)
      );
    }
  }
}

function withKeys(items: unknown[], keys: readonly string[]): unknown[] {
  known.set(items, keys);
  return items;
}

function listOf(value: unknown, operation: Operation): [unknown[], readonly string[]] {
  if (!Array.isArray(value)) throw gone(operation);
  return [value, keysOf(value)];
}

function placeOf(items: unknown[], key: string, operation: Operation): number {
  const place = keysOf(items).indexOf(key);
  if (place < 0) throw gone(operation);
  return place;
}

const gone = (operation: Operation): Gone => new Gone(`${operation.at.join('/')}: it was removed meanwhile.`);

/** Returns whether two operations change the same field or item, or one changes something inside the other's. */
export function overlap(one: Operation, other: Operation): boolean {
  const [first, second] = [targetOf(one), targetOf(other)];
  return first.slice(0, second.length).every((name, place) => name === second[place]);
}

/** Returns the path of the field, the item or, of an order, the list that an operation changes. */
function targetOf(operation: Operation): string[] {
  if (operation.op === 'insert' || operation.op === 'remove') return [...operation.at, operation.key];
  return operation.op === 'order' ? [...operation.at, ' order'] : operation.at;
}

/** Returns a document with operations applied; those that lead to nothing are left out. */
export function applied<D extends object>(document: D, operations: readonly Operation[]): D {
  let next = document;
  for (const operation of operations) {
    try {
      next = apply(next, [operation]);
    } catch (error) {
      if (!(error instanceof Gone)) throw error;
    }
  }
  return next;
}
