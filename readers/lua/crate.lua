-- SPDX-License-Identifier: MIT
-- Copyright (c) The Agile Crate developers
--
-- A small reader of the Lua table that the template table.lua.j2 makes of a crate. Plain tables and numbers, for any
-- engine; Lua 5.1 and later. Indices count from 1.
--
--   local crate = require("crate")
--   local otter = crate.open(require("otter"))
--   local frame = crate.frame_at(otter, "swim", milliseconds)
--   local x, y, w, h, sheet_w, sheet_h = crate.quad(otter, frame)
--   local left, top, angle, across, down = crate.placement(frame, at_x, at_y)

local crate = {}

--- Adds tables of frames and animations by name. Returns the same table.
function crate.open(made)
  made.frame_named, made.animation_named = {}, {}
  for _, frame in ipairs(made.frames) do made.frame_named[frame.name] = frame end
  for _, animation in ipairs(made.animations) do made.animation_named[animation.name] = animation end
  return made
end

--- Returns a frame by its name, or nil.
function crate.frame(made, name)
  return made.frame_named[name]
end

--- Returns the part of its sheet where a frame is stored, and the sheet's size: x, y, w, h, sheet_w, sheet_h.
function crate.quad(made, frame)
  local box, on = frame.box, made.sheets[frame.on]
  return box[1], box[2], box[3], box[4], on.w, on.h
end

--- Returns how to draw the stored part so that the frame's pivot lands on at_x, at_y: the point for the part's top left,
--- the angle in radians by which it turns clockwise around that point, and the factors (1 or -1) that stretch it across
--- and down before it turns.
function crate.placement(frame, at_x, at_y)
  local w, h = frame.box[3], frame.box[4]
  local flip_x = frame.mirror:find("x") ~= nil
  local flip_y = frame.mirror:find("y") ~= nil
  -- The corner of the stored part, on the canvas before it is flipped: turned back by 90 degrees counterclockwise, its
  -- top left comes to lie at the bottom left.
  local left, top = frame.offset[1], frame.offset[2]
  if frame.turned then top = top + w end
  if flip_x then left = frame.canvas[1] - left end
  if flip_y then top = frame.canvas[2] - top end
  left, top = at_x + left - frame.pivot[1], at_y + top - frame.pivot[2]
  local across, down = flip_x and -1 or 1, flip_y and -1 or 1
  if frame.turned then
    return left, top, -math.pi / 2, down, across
  end
  return left, top, 0, across, down
end

--- Returns the position in an animation's lists at a time after its start. Each step lasts for its own duration, or its
--- own beats; a thousandth of a beat is added, so that a clock that counts in the same beats misses none by rounding.
--- Back and forth plays 1 2 3 4 3 2 and starts over: the first and the last once a turn. An animation with the loop
--- "once" (or `times`) stays on its last frame.
function crate.step_at(animation, milliseconds)
  local count, steps, turn = #animation.frames, {}, 0
  for step = 1, count do steps[#steps + 1] = step end
  if animation.loop == "back-and-forth" then
    for step = count - 1, 2, -1 do steps[#steps + 1] = step end
  end
  local lengths, now = animation.durations, milliseconds
  if animation.beats then
    lengths, now = animation.beats, math.floor(milliseconds * (animation.fps[1] / animation.fps[2]) / 1000 + 0.001)
  end
  for _, step in ipairs(steps) do turn = turn + lengths[step] end
  if animation.loop == "once" and now < 0 then return 1 end
  if animation.loop == "once" and now >= turn * math.max(1, animation.times) then
    return steps[#steps]
  end
  local left = now % turn
  for _, step in ipairs(steps) do
    left = left - lengths[step]
    if left < 0 then return step end
  end
  return steps[#steps]
end

--- Returns the frame that an animation shows at a time after its start.
function crate.frame_at(made, name, milliseconds)
  local animation = made.animation_named[name]
  return made.frames[animation.frames[crate.step_at(animation, milliseconds)]]
end

return crate
