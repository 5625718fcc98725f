// Zooming by whole factors, at the pointer. All places are in device pixels, so that art stays crisp.

const ZOOMS = [16, 12, 10, 8, 6, 5, 4, 3, 2].map((n) => 1 / n).concat(Array.from({ length: 32 }, (_, n) => n + 1));

/** Returns the device pixels per page pixel. */
const dense = () => window.devicePixelRatio || 1;

/** Returns the device pixels per pixel of art: a whole number for enlarged art. */
function grain(zoom) {
  return zoom >= 1 ? Math.max(1, Math.round(zoom * dense())) : zoom * dense();
}

function zoomText(zoom) {
  if (zoom >= 1) return `×${zoom}`;
  const parts = 1 / zoom;
  return Math.abs(parts - Math.round(parts)) < 1e-6 ? `1/${Math.round(parts)}` : `${Math.round(100 * zoom)}%`;
}

/** Returns the largest whole zoom at which art fits a room; larger art is made to fit exactly. */
function fitting(width, height, art) {
  const most = Math.min(width / Math.max(1, art.w), height / Math.max(1, art.h)) / dense();
  return most >= 1 ? Math.min(32, Math.floor(most)) : Math.max(most, 1 / 64);
}

/** Returns the next zoom in or out. */
function nextZoom(zoom, by) {
  const larger = ZOOMS.filter((known) => known > zoom * 1.0001), smaller = ZOOMS.filter((known) => known < zoom * 0.9999);
  return by > 0 ? larger[0] ?? zoom : smaller[smaller.length - 1] ?? zoom;
}

/** Returns a view at another zoom, with the art at a place kept there. */
function zoomedAt(view, zoom, place) {
  const ratio = grain(zoom) / grain(view.zoom);
  return { zoom, x: place.x + (view.x - place.x) * ratio, y: place.y + (view.y - place.y) * ratio };
}

/** Returns the place of the art at a place of the view. */
function artAt(view, place) {
  return { x: (place.x - view.x) / grain(view.zoom), y: (place.y - view.y) / grain(view.zoom) };
}

/** Returns the place of an event on an element, in device pixels. */
function placeOf(event, element) {
  const { left, top } = element.getBoundingClientRect();
  return { x: (event.clientX - left) * dense(), y: (event.clientY - top) * dense() };
}

/** Makes a canvas as large as its element on the screen; returns true if its size changed. */
function fillRoom(canvas) {
  const w = Math.max(1, Math.round(canvas.clientWidth * dense())), h = Math.max(1, Math.round(canvas.clientHeight * dense()));
  if (canvas.width === w && canvas.height === h) return false;
  canvas.width = w;
  canvas.height = h;
  return true;
}

/**
 * Makes an element's view movable: the wheel and two fingers zoom at their place, dragging pans, a double click fits.
 * `hand` has `view()`, `look(view)`, `fit()`, and optionally `drag(from, to, isEnd)`, which returns true if it handles
 * the drag itself; `point(place)`, called with the pointer's place, or null when it leaves; and `click(place)`.
 */
function makeMovable(element, hand) {
  const fingers = new Map();
  let from = null, moved = false, apart = 0, turned = 0;
  const spread = () => {
    const [first, second] = fingers.values();
    return { apart: Math.hypot(first.x - second.x, first.y - second.y), middle: { x: (first.x + second.x) / 2, y: (first.y + second.y) / 2 } };
  };
  element.addEventListener("wheel", (event) => {
    event.preventDefault();
    turned += event.deltaMode === 1 ? event.deltaY * 40 : event.deltaY;
    if (Math.abs(turned) < 40) return;
    const view = hand.view();
    hand.look(zoomedAt(view, nextZoom(view.zoom, -turned), placeOf(event, element)));
    turned = 0;
  }, { passive: false });
  element.addEventListener("pointerdown", (event) => {
    if (event.button > 0) return;
    element.setPointerCapture(event.pointerId);
    fingers.set(event.pointerId, placeOf(event, element));
    moved = false;
    from = { place: placeOf(event, element), view: hand.view() };
    if (fingers.size === 2) apart = spread().apart;
  });
  element.addEventListener("pointermove", (event) => {
    const place = placeOf(event, element);
    hand.point?.(place);
    if (!fingers.has(event.pointerId)) return;
    fingers.set(event.pointerId, place);
    if (fingers.size === 2) {
      const now = spread(), view = hand.view(), next = nextZoom(view.zoom, now.apart - apart);
      const wanted = view.zoom * now.apart / apart;
      moved = true;
      if (Math.abs(Math.log(wanted / next)) < Math.abs(Math.log(wanted / view.zoom))) {
        hand.look(zoomedAt(view, next, now.middle));
        apart *= next / view.zoom;
      }
      return;
    }
    const across = place.x - from.place.x, down = place.y - from.place.y;
    if (!moved && Math.hypot(across, down) < 4 * dense()) return;
    moved = true;
    if (hand.drag?.(from.place, place, false)) return;
    hand.look({ zoom: from.view.zoom, x: from.view.x + across, y: from.view.y + down });
  });
  const lift = (event) => {
    if (!fingers.delete(event.pointerId)) return;
    const place = placeOf(event, element);
    if (moved) hand.drag?.(from.place, place, true);
    else if (event.type === "pointerup") hand.click?.(place, event);
    if (fingers.size === 1) from = { place: [...fingers.values()][0], view: hand.view() };
  };
  element.addEventListener("pointerup", lift);
  element.addEventListener("pointercancel", lift);
  element.addEventListener("pointerleave", () => hand.point?.(null));
  element.addEventListener("dblclick", () => hand.fit());
}
