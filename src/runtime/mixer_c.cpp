// The mixer for C.

#include "stasigraph/mixer.h"

#include "runtime/c_types.hpp"
#include "stasigraph/mixer.hpp"

namespace rt = stasigraph::runtime;
using rt::c::copy;
using rt::c::vector;
using rt::c::weights;

struct sgraph_mixer {
    rt::Mixer mixer;
};

namespace {

void copy(const rt::PagePair& p, sgraph_page_pair* out) {
    copy(p.from, &out->from);
    copy(p.to, &out->to);
    out->from_set = p.from_set;
    out->to_set = p.to_set;
    out->weight = p.weight;
}
rt::Color color(const float c[3]) {
    return {c[0], c[1], c[2]};
}
rt::Curve curve_of(sgraph_curve c) {
    return c == SGRAPH_LINEAR ? rt::Curve::linear : rt::Curve::smooth;
}

}  // namespace

sgraph_status sgraph_mixer_start(const sgraph_game* game, const sgraph_mixer_options* settings,
                                 sgraph_mixer** out, char* message, size_t message_size) {
    rt::MixerOptions s;
    if (settings)
        s = {static_cast<rt::Paging>(settings->paging), settings->set, settings->bytes,
             settings->microseconds};
    return rt::c::opened(
        out, message, message_size, [&](sgraph_mixer& m) { return m.mixer.start(game->game, s); },
        [](const sgraph_mixer& m) { return m.mixer.message(); });
}
void sgraph_mixer_stop(sgraph_mixer* m) {
    delete m;
}
int sgraph_mixer_request(sgraph_mixer* m, uint32_t set, uint32_t zone, float seconds, sgraph_curve curve) {
    return m->mixer.request(set, zone, seconds, curve_of(curve)) ? 1 : 0;
}
int sgraph_mixer_follow(sgraph_mixer* m, uint32_t series, uint32_t zone, float seconds, sgraph_curve curve) {
    return m->mixer.follow(series, zone, seconds, curve_of(curve)) ? 1 : 0;
}
int sgraph_mixer_set_layer(sgraph_mixer* m, uint32_t layer, const float scale[3], const float add[3]) {
    return m->mixer.set_layer(layer, color(scale), add ? color(add) : rt::Color{}) ? 1 : 0;
}
void sgraph_mixer_set_clock(sgraph_mixer* m, double hour, double hours_a_second) {
    m->mixer.set_clock(hour, hours_a_second);
}
double sgraph_mixer_clock(const sgraph_mixer* m) {
    return m->mixer.clock();
}
void sgraph_mixer_advance(sgraph_mixer* m, double seconds) {
    m->mixer.advance(seconds);
}
void sgraph_mixer_pages(const sgraph_mixer* m, uint32_t zone, uint32_t page, uint32_t part,
                        sgraph_page_pair* out) {
    copy(m->mixer.pages(zone, page, part), out);
}
void sgraph_mixer_surface_pages(const sgraph_mixer* m, uint32_t surface, uint32_t part,
                                sgraph_page_pair* out) {
    copy(m->mixer.surface_pages(surface, part), out);
}
uint32_t sgraph_mixer_changed_count(const sgraph_mixer* m) {
    return m->mixer.changed_count();
}
void sgraph_mixer_changed(const sgraph_mixer* m, uint32_t number, sgraph_tile* out) {
    const rt::Tile t = m->mixer.changed(number);
    *out = {t.page, t.copy, t.x, t.y, t.width, t.height};
}
void sgraph_mixer_own_page(const sgraph_mixer* m, uint32_t number, uint32_t page, uint32_t part,
                           sgraph_pixels* out) {
    copy(m->mixer.own_page(number, page, part), out);
}
int sgraph_mixer_whole(const sgraph_mixer* m, uint32_t page) {
    return m->mixer.whole(page) ? 1 : 0;
}
float sgraph_mixer_progress(const sgraph_mixer* m, uint32_t zone) {
    return m->mixer.progress(zone);
}
int sgraph_mixer_waits(const sgraph_mixer* m, uint32_t zone) {
    return m->mixer.waits(zone) ? 1 : 0;
}
uint32_t sgraph_mixer_terms(const sgraph_mixer* m, uint32_t zone, sgraph_term* out, uint32_t most) {
    static_assert(sizeof(sgraph_term) == sizeof(rt::Term) &&
                  offsetof(sgraph_term, weight) == offsetof(rt::Term, weight));
    return m->mixer.terms(zone, reinterpret_cast<rt::Term*>(out), most);
}
void sgraph_mixer_layer_gain(const sgraph_mixer* m, uint32_t layer, uint32_t zone, float rgb[3]) {
    copy(m->mixer.layer_gain(layer, zone), rgb);
}
void sgraph_mixer_gain(const sgraph_mixer* m, uint32_t group, uint32_t zone, float rgb[3]) {
    copy(m->mixer.gain(group, zone), rgb);
}
void sgraph_mixer_sample(const sgraph_mixer* m, const float point[3], const float normal[3], uint32_t* hint,
                         float rgb[3]) {
    copy(m->mixer.sample(vector(point), vector(normal), *hint), rgb);
}
void sgraph_mixer_sample_coefficients(const sgraph_mixer* m, const float point[3], uint32_t* hint,
                                      float out[27]) {
    m->mixer.sample(vector(point), *hint, out);
}
void sgraph_mixer_sample_weights(const sgraph_mixer* m, const sgraph_weights* w, const float normal[3],
                                 float rgb[3]) {
    copy(m->mixer.sample(weights(w), vector(normal)), rgb);
}
void sgraph_mixer_weights_coefficients(const sgraph_mixer* m, const sgraph_weights* w, float out[27]) {
    m->mixer.sample(weights(w), out);
}
void sgraph_mixer_light(const sgraph_mixer* m, const sgraph_weights* w, sgraph_place_light* out) {
    copy(m->mixer.light(weights(w)), out);
}
void sgraph_mixer_surface_light(const sgraph_mixer* m, uint32_t surface, float u, float v, float rgb[3]) {
    copy(m->mixer.surface_light(surface, u, v), rgb);
}
