// SPDX-License-Identifier: MIT
// Copyright (c) The Agile Crate developers
//
// Types for crate.js, and for Agile Crate metadata, version 1. Lengths are in pixels of the sheets, from the top left, y down.
// Ignore keys that are not listed here.

/** Width and height. */
export type Size = [w: number, h: number];
/** From the left, from the top. */
export type Point = [x: number, y: number];
/** Left, top, width and height. */
export type Box = [x: number, y: number, w: number, h: number];

export interface CrateDocument {
  format: "agile-crate";
  version: 1;
  generator?: string;
  name: string;
  /** The scale of the frames, compared to their sources. */
  scale?: number;
  alpha?: "straight" | "premultiplied";
  /** The color that sheets were flattened on; empty if they were not. */
  background?: string;
  /** All text files of the build. */
  files?: string[];
  built_from?: string;
  /** The sheets were made elsewhere, and may show more than the frames. */
  adopted?: boolean;
  sha256?: string;
  file_sha256?: Record<string, string>;
  settings?: Record<string, string | boolean | (string | boolean)[]>;
  sheets: Sheet[];
  frames: Frame[];
  animations: Animation[];
}

export interface Sheet {
  image: string;
  size: Size;
  sha256?: string;
  cells?: Cells;
  row_cells?: RowCells;
  margin?: number;
  gap?: number;
  edge_repeat?: number;
  skins?: Record<string, Skin>;
  blocks?: Block[];
}

/** The same frames in other art; plain: not art, such as a map of normals. */
export interface Skin {
  image: string;
  sha256?: string;
  plain?: boolean;
}

/** Cells of one size, filled by the sheet's frames in order. */
export interface Cells {
  size: Size;
  columns: number;
  rows: number;
  margin?: number;
  gap?: number;
  order?: "across" | "down";
}

/** The same, with a row for each animation: the number of filled cells in each row. */
export interface RowCells extends Cells {
  filled: number[];
}

/** The grid of one animation on a sheet that has several. */
export interface Block {
  first: number;
  count: number;
  origin: Point;
  size: Size;
  columns: number;
  rows: number;
}

export interface Frame {
  name: string;
  /** The index of its sheet. */
  sheet: number;
  /** The place of its stored pixels on the sheet. */
  box: Box;
  /** Stored rotated by 90° clockwise. */
  turned?: boolean;
  /** The size of the canvas on which it was drawn. */
  canvas: Size;
  /** The place on the canvas of the top left of the stored pixels, turned upright. */
  offset: Point;
  /** The point of the canvas that stays put in the game. */
  pivot: Point;
  /** The frame is this mirror image of what is stored. */
  mirror?: "" | "x" | "y" | "xy";
  crc?: string;
  edited?: boolean;
  shape?: Shape;
}

/** Polygons around the visible pixels, in pixels of the canvas. */
export interface Shape {
  polygons: Point[][];
  tolerance?: number;
}

export interface Animation {
  name: string;
  /** Indices of frames, in the order in which they are shown. */
  frames: number[];
  /** Milliseconds of each. */
  durations: number[];
  loop?: "forever" | "once" | "back-and-forth";
  /** The number of times it plays, if it ends. */
  times?: number;
  /** Frames per second, as a fraction. */
  fps?: [numerator: number, denominator: number];
  /** The length of each frame in steps of that rate. */
  beats?: number[];
}

export interface Crate {
  document: CrateDocument;
  /** The sheets' images, in order. */
  images: HTMLImageElement[];
  frames: Map<string, Frame>;
  animations: Map<string, Animation>;
}

/** Loads metadata and its images, or a skin's. Throws for other files, and for sheets that Canvas 2D cannot draw. */
export function load(url: string | URL, skin?: string): Promise<Crate>;

/** Returns a frame by its name. Throws for an unknown name. */
export function frame(crate: Crate, name: string): Frame;

/** Returns the frame that an animation shows at a time after its start, in milliseconds. */
export function frameAt(crate: Crate, name: string, milliseconds: number): Frame;

/** Returns the position in an animation's lists at a time. */
export function stepAt(animation: Animation, milliseconds: number): number;

/** Draws a frame with its pivot at x, y, enlarged by scale. */
export function draw(
  context: CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D,
  crate: Crate,
  one: Frame,
  x: number,
  y: number,
  scale?: number,
): void;
