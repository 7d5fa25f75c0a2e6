import type { Schemas } from '../../api/client';

export type Point = Schemas['CurvePoint'];

/** The kinds of use, as a builder calls them. */
export const loadWords: Record<string, string> = {
  idle: 'idle',
  light: 'light',
  mixed: 'game-like',
  heavy: 'full load',
};

/** What may hang on a header. */
export const roles: Record<string, string> = {
  cooler: 'fan of the cooler',
  case: 'fan of the case',
  pump: 'pump',
  none: 'nothing',
};
