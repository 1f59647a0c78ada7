// Made by quilt_core/scene/flags.py; a test compares it.

/** What the artist says of an island. */
export const CONTROLS = {
  lock_place: 1,
  lock_rotation: 2,
  lock_size: 4,
  may_flip: 8,
  leave_out: 16,
} as const;

/** What was measured of an island in its layout. */
export const MEASURED = {
  mirrored: 1,
  overlapping: 2,
  outside: 4,
  collapsed: 8,
  side_table: 16,
} as const;
