// The mixer for C.

#include "stasigraph/mixer.h"

#include "runtime/c_types.hpp"
#include "stasigraph/mixer.hpp"

namespace rt = stasigraph::runtime;
using rt::c::copy;
using rt::c::vector;
using rt::c::weights;

struct sg_mixer {
    rt::Mixer mixer;
};

namespace {

void copy(const rt::PagePair& p, sg_page_pair* out) {
    copy(p.from, &out->from);
    copy(p.to, &out->to);
    out->from_set = p.from_set;
    out->to_set = p.to_set;
    out->weight = p.weight;
}
rt::Color color(const float c[3]) {
    return {c[0], c[1], c[2]};
}
rt::Curve curve_of(sg_curve c) {
    return c == SG_LINEAR ? rt::Curve::linear : rt::Curve::smooth;
}

}  // namespace

sg_status sg_mixer_start(const sg_game* game, const sg_mixer_settings* settings, sg_mixer** out,
                         char* message, size_t message_size) {
    rt::MixerSettings s;
    if (settings)
        s = {static_cast<rt::Paging>(settings->paging), settings->set, settings->bytes,
             settings->microseconds};
    return rt::c::opened(
        out, message, message_size, [&](sg_mixer& m) { return m.mixer.start(game->game, s); },
        [](const sg_mixer& m) { return m.mixer.message(); });
}
void sg_mixer_stop(sg_mixer* m) {
    delete m;
}
int sg_mixer_request(sg_mixer* m, uint32_t set, uint32_t zone, float seconds, sg_curve curve) {
    return m->mixer.request(set, zone, seconds, curve_of(curve)) ? 1 : 0;
}
int sg_mixer_follow(sg_mixer* m, uint32_t series, uint32_t zone, float seconds, sg_curve curve) {
    return m->mixer.follow(series, zone, seconds, curve_of(curve)) ? 1 : 0;
}
int sg_mixer_set_layer(sg_mixer* m, uint32_t layer, const float scale[3], const float add[3]) {
    return m->mixer.set_layer(layer, color(scale), add ? color(add) : rt::Color{}) ? 1 : 0;
}
void sg_mixer_set_clock(sg_mixer* m, double hour, double hours_a_second) {
    m->mixer.set_clock(hour, hours_a_second);
}
double sg_mixer_clock(const sg_mixer* m) {
    return m->mixer.clock();
}
void sg_mixer_advance(sg_mixer* m, double seconds) {
    m->mixer.advance(seconds);
}
void sg_mixer_pages(const sg_mixer* m, uint32_t zone, uint32_t page, uint32_t part, sg_page_pair* out) {
    copy(m->mixer.pages(zone, page, part), out);
}
void sg_mixer_surface_pages(const sg_mixer* m, uint32_t surface, uint32_t part, sg_page_pair* out) {
    copy(m->mixer.surface_pages(surface, part), out);
}
uint32_t sg_mixer_changed_count(const sg_mixer* m) {
    return m->mixer.changed_count();
}
void sg_mixer_changed(const sg_mixer* m, uint32_t number, sg_tile* out) {
    const rt::Tile t = m->mixer.changed(number);
    *out = {t.page, t.copy, t.x, t.y, t.width, t.height};
}
int sg_mixer_whole(const sg_mixer* m, uint32_t page) {
    return m->mixer.whole(page) ? 1 : 0;
}
float sg_mixer_progress(const sg_mixer* m, uint32_t zone) {
    return m->mixer.progress(zone);
}
int sg_mixer_waits(const sg_mixer* m, uint32_t zone) {
    return m->mixer.waits(zone) ? 1 : 0;
}
uint32_t sg_mixer_terms(const sg_mixer* m, uint32_t zone, sg_term* out, uint32_t most) {
    static_assert(sizeof(sg_term) == sizeof(rt::Term) &&
                  offsetof(sg_term, weight) == offsetof(rt::Term, weight));
    return m->mixer.terms(zone, reinterpret_cast<rt::Term*>(out), most);
}
void sg_mixer_layer_gain(const sg_mixer* m, uint32_t layer, uint32_t zone, float rgb[3]) {
    copy(m->mixer.layer_gain(layer, zone), rgb);
}
void sg_mixer_gain(const sg_mixer* m, uint32_t group, uint32_t zone, float rgb[3]) {
    copy(m->mixer.gain(group, zone), rgb);
}
void sg_mixer_sample(const sg_mixer* m, const float point[3], const float normal[3], uint32_t* hint,
                     float rgb[3]) {
    copy(m->mixer.sample(vector(point), vector(normal), *hint), rgb);
}
void sg_mixer_sample_coefficients(const sg_mixer* m, const float point[3], uint32_t* hint, float out[27]) {
    m->mixer.sample(vector(point), *hint, out);
}
void sg_mixer_sample_weights(const sg_mixer* m, const sg_weights* w, const float normal[3], float rgb[3]) {
    copy(m->mixer.sample(weights(w), vector(normal)), rgb);
}
void sg_mixer_weights_coefficients(const sg_mixer* m, const sg_weights* w, float out[27]) {
    m->mixer.sample(weights(w), out);
}
void sg_mixer_surface_light(const sg_mixer* m, uint32_t surface, float u, float v, float rgb[3]) {
    copy(m->mixer.surface_light(surface, u, v), rgb);
}
