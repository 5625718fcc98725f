#include <stdio.h>
#include "odd.h"
#include "otter.h"
int main(void) {
  for (int i = 0; i < C_FRAMES_COUNT; i++) printf("%s%c", C_FRAMES[i].name, 0);
  const crate_frame *f = &OTTER_FRAMES[1];
  const crate_animation *a = &OTTER_ANIMATIONS[OTTER_PLAY_DIVE];
  printf("%d %d,%d,%d,%d %d%d%d %d,%d %d,%d %g,%g | %s %d %d %d %d %d", f->on_sheet, f->x, f->y, f->w, f->h, f->turned, f->mirror_x,
    f->mirror_y, f->canvas_w, f->canvas_h, f->offset_x, f->offset_y, f->pivot_x, f->pivot_y, a->name, a->count, a->frames[1],
    a->milliseconds[0], a->loop == CRATE_ONCE, a->times);
  return OTTER_FRAME_SWIM_SWIM_01 + C_PREMULTIPLIED + !OTTER_PREMULTIPLIED + (C_ANIMATIONS[0].count - 1);
}
