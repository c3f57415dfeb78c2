"""What a master becomes on sets: textures bound to maps, evaluated to pixels, flattened, shown on the stage."""
