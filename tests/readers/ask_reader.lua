package.path = arg[1] .. "/?.lua"
local crate = require("crate")
local made = crate.open(dofile(arg[2]))
for _, frame in ipairs(made.frames) do
  assert(crate.frame(made, frame.name) == frame)
  local x, y, w, h, sheet_w, sheet_h = crate.quad(made, frame)
  local left, top, angle, across, down = crate.placement(frame, 40, 40)
  print(string.format("[%d, %d,%d,%d,%d, %d,%d, %.17g,%.17g,%.17g,%d,%d]",
    frame.on, x, y, w, h, sheet_w, sheet_h, left, top, angle, across, down))
end
for line in io.lines(arg[3]) do
  local name, moment = line:match("^(.*)\t(.*)$")
  print(string.format("%q", crate.frame_at(made, name, tonumber(moment)).name))
end
