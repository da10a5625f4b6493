// The packed level for C.

#include <algorithm>

#include "runtime/c_types.hpp"

namespace rt = stasigraph::runtime;

using rt::c::copy;
using rt::c::vector;
using rt::c::weights;

namespace {

const char* said(const sgraph_game& g) {
    return g.game.message();
}

}  // namespace

sgraph_status sgraph_game_open(const char* path, sgraph_game** out, char* message, size_t message_size) {
    return rt::c::opened(
        out, message, message_size, [&](sgraph_game& g) { return g.game.open(path); }, said);
}
sgraph_status sgraph_game_open_memory(const void* data, size_t size, sgraph_game** out, char* message,
                                      size_t message_size) {
    return rt::c::opened(
        out, message, message_size, [&](sgraph_game& g) { return g.game.open(data, size); }, said);
}
void sgraph_game_close(sgraph_game* g) {
    delete g;
}
int sgraph_game_verify(const sgraph_game* g) {
    return g->game.verify() ? 1 : 0;
}
uint32_t sgraph_game_chunk_count(const sgraph_game* g) {
    return g->game.chunk_count();
}
const char* sgraph_game_chunk(const sgraph_game* g, uint32_t number, size_t* size) {
    const rt::ChunkInfo c = g->game.chunk(number);
    if (size) *size = c.size;
    return c.tag;
}
uint32_t sgraph_game_set_count(const sgraph_game* g) {
    return g->game.set_count();
}
const char* sgraph_game_set_name(const sgraph_game* g, uint32_t set) {
    return g->game.set_name(set);
}
uint32_t sgraph_game_find_set(const sgraph_game* g, const char* name) {
    return g->game.find_set(name);
}
uint32_t sgraph_game_group_count(const sgraph_game* g) {
    return g->game.group_count();
}
const char* sgraph_game_group_name(const sgraph_game* g, uint32_t group) {
    return g->game.group_name(group);
}
void sgraph_game_gain(const sgraph_game* g, uint32_t set, uint32_t group, float rgb[3]) {
    copy(g->game.gain(set, group), rgb);
}
uint32_t sgraph_game_zone_count(const sgraph_game* g) {
    return g->game.zone_count();
}
const char* sgraph_game_zone_name(const sgraph_game* g, uint32_t zone) {
    return g->game.zone_name(zone);
}
uint32_t sgraph_game_find_zone(const sgraph_game* g, const char* name) {
    return g->game.find_zone(name);
}
uint32_t sgraph_game_probe_zone(const sgraph_game* g, uint32_t probe) {
    return g->game.probe_zone(probe);
}
uint32_t sgraph_game_reflection_zone(const sgraph_game* g, uint32_t reflection) {
    return g->game.reflection_zone(reflection);
}
uint32_t sgraph_game_layer_count(const sgraph_game* g) {
    return g->game.layer_count();
}
void sgraph_game_layer(const sgraph_game* g, uint32_t number, uint32_t* group, uint32_t* set) {
    const rt::Layer l = g->game.layer(number);
    *group = l.group;
    *set = l.set;
}
uint32_t sgraph_game_find_layer(const sgraph_game* g, const char* group) {
    return g->game.find_layer(group);
}
uint32_t sgraph_game_series_count(const sgraph_game* g) {
    return g->game.series_count();
}
const char* sgraph_game_series_name(const sgraph_game* g, uint32_t series) {
    return g->game.series_name(series);
}
uint32_t sgraph_game_find_series(const sgraph_game* g, const char* name) {
    return g->game.find_series(name);
}
uint32_t sgraph_game_series_length(const sgraph_game* g, uint32_t series) {
    return g->game.series_length(series);
}
void sgraph_game_series_step(const sgraph_game* g, uint32_t series, uint32_t step, uint32_t* set,
                             float* hour) {
    const rt::SeriesStep s = g->game.series_step(series, step);
    *set = s.set;
    *hour = s.hour;
}
uint32_t sgraph_game_surface_count(const sgraph_game* g) {
    return g->game.surface_count();
}
void sgraph_game_surface(const sgraph_game* g, uint32_t number, sgraph_surface* out) {
    const rt::SurfaceInfo s = g->game.surface(number);
    *out = {s.name,     s.node,         s.page, s.zone, {s.scale[0], s.scale[1]}, {s.offset[0], s.offset[1]},
            s.glb_node, s.glb_primitive};
}
uint32_t sgraph_game_find_surface(const sgraph_game* g, const char* name) {
    return g->game.find_surface(name);
}
uint32_t sgraph_game_page_count(const sgraph_game* g) {
    return g->game.page_count();
}
uint32_t sgraph_game_page_side(const sgraph_game* g, uint32_t page) {
    return g->game.page_side(page);
}
void sgraph_game_page(const sgraph_game* g, uint32_t set, uint32_t page, uint32_t part, sgraph_pixels* out) {
    copy(g->game.page(set, page, part), out);
}
void sgraph_game_page_light(const sgraph_game* g, uint32_t set, uint32_t page, float x, float y,
                            float rgb[3]) {
    copy(g->game.page_light(set, page, x, y), rgb);
}
uint32_t sgraph_game_probe_count(const sgraph_game* g) {
    return g->game.probe_count();
}
void sgraph_game_weights(const sgraph_game* g, const float point[3], uint32_t* hint, sgraph_weights* out) {
    const rt::Weights w = g->game.weights(vector(point), *hint);
    out->count = w.count;
    out->beyond = w.beyond;
    std::copy(w.probe, w.probe + 8, out->probe);
    std::copy(w.weight, w.weight + 8, out->weight);
    out->placed = w.placed;
    out->at[0] = w.at.x;
    out->at[1] = w.at.y;
    out->at[2] = w.at.z;
}
const float* sgraph_game_coefficients(const sgraph_game* g, uint32_t set, uint32_t probe) {
    return g->game.coefficients(set, probe);
}
void sgraph_game_irradiance(const sgraph_game* g, uint32_t set, const sgraph_weights* w,
                            const float normal[3], float rgb[3]) {
    copy(g->game.irradiance(set, weights(w), vector(normal)), rgb);
}
void sgraph_game_light(const sgraph_game* g, uint32_t set, const sgraph_weights* w, sgraph_place_light* out) {
    copy(g->game.light(set, weights(w)), out);
}
uint32_t sgraph_game_lamp_count(const sgraph_game* g) {
    return g->game.lamp_count();
}
const char* sgraph_game_lamp_name(const sgraph_game* g, uint32_t lamp) {
    return g->game.lamp_name(lamp);
}
void sgraph_game_lamp_color(const sgraph_game* g, uint32_t set, uint32_t lamp, float rgb[3]) {
    copy(g->game.lamp_color(set, lamp), rgb);
}
void sgraph_game_mixed_coefficients(const sgraph_game* g, uint32_t set, const sgraph_weights* w,
                                    float out[27]) {
    g->game.coefficients(set, weights(w), out);
}
uint32_t sgraph_game_reflection_count(const sgraph_game* g) {
    return g->game.reflection_count();
}
const char* sgraph_game_reflection_name(const sgraph_game* g, uint32_t reflection) {
    return g->game.reflection_name(reflection);
}
uint32_t sgraph_game_reflection_levels(const sgraph_game* g, uint32_t reflection) {
    return g->game.reflection_levels(reflection);
}
void sgraph_game_reflection_map(const sgraph_game* g, uint32_t set, uint32_t reflection, uint32_t level,
                                sgraph_pixels* out) {
    copy(g->game.reflection_map(set, reflection, level), out);
}
void sgraph_game_reflections(const sgraph_game* g, const float point[3], const float normal[3],
                             sgraph_weights* out) {
    const rt::Reflections m = g->game.reflections(vector(point), vector(normal));
    *out = {};
    out->count = m.count;
    std::copy(m.probe, m.probe + 4, out->probe);
    std::copy(m.weight, m.weight + 4, out->weight);
}
void sgraph_game_reflection_direction(const sgraph_game* g, uint32_t reflection, const float point[3],
                                      const float direction[3], float out[3]) {
    const rt::Vector v = g->game.reflection_direction(reflection, vector(point), vector(direction));
    out[0] = v.x;
    out[1] = v.y;
    out[2] = v.z;
}
