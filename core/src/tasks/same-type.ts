/** Keeps a schema and the type it stands for from drifting apart, at compile time. */
import type { z } from 'zod';

type Leaf = string | number | boolean | bigint | symbol | null | undefined;
/** Read only all the way down, intersections written out and arrays of numbers by their kind, so that two ways of saying a type compare equal. */
type Plain<T> = T extends Leaf
  ? T
  : T extends ArrayBufferView & { readonly [Symbol.toStringTag]: infer Tag }
    ? Tag
    : { readonly [K in keyof T]: Plain<T[K]> };
type Equal<A, B> = (<X>() => X extends A ? 1 : 2) extends <X>() => X extends B ? 1 : 2 ? true : false;

/** True where a schema's output and the type say the same, field by field, optional fields included. */
export type SameType<S extends z.ZodType, T> = Equal<Plain<z.output<S>>, Plain<T>>;

/** The same without some fields, which are compared elsewhere. */
export type SameBut<S extends z.ZodType, T, K extends keyof z.output<S> & keyof T> = Equal<
  Plain<Omit<z.output<S>, K>>,
  Plain<Omit<T, K>>
>;

/** Compiles only where every one of its arguments is true: `type _ = AllTrue<[SameType<typeof schema, Type>]>`. */
export type AllTrue<T extends readonly true[]> = T;
