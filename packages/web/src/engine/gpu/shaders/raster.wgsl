@group(0) @binding(0) var<storage, read_write> dst: array<vec4f>;
