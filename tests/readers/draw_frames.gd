extends SceneTree

func _init():
    call_deferred("run")

func run():
    var offsets = OFFSETS
    var view = Viewport.new()
    view.size = Vector2(64, 64)
    view.transparent_bg = true
    view.usage = Viewport.USAGE_2D
    view.render_target_update_mode = Viewport.UPDATE_ALWAYS
    view.render_target_v_flip = true
    var sprite = AnimatedSprite.new()
    sprite.material = CanvasItemMaterial.new()
    sprite.material.blend_mode = CanvasItemMaterial.BLEND_MODE_PREMULT_ALPHA
    sprite.centered = false
    sprite.position = Vector2(32, 40)
    view.add_child(sprite)
    root.add_child(view)
    for kind in offsets:
        var frames = load("res://%s/o.tres" % kind)
        sprite.frames = frames
        sprite.offset = offsets[kind]
        for name in frames.get_animation_names():
            print("told ", kind, "|", name, "|", frames.get_frame_count(name), "|", frames.get_animation_speed(name), "|", frames.get_animation_loop(name))
            for index in frames.get_frame_count(name):
                sprite.animation = name
                sprite.frame = index
                yield(self, "idle_frame")
                yield(self, "idle_frame")
                var image = view.get_texture().get_data()
                image.convert(Image.FORMAT_RGBA8)
                image.save_png("res://drawn/%s-%s-%d.png" % [kind, name.replace("/", "_"), index])
    quit()
