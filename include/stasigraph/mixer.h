#ifndef STASIGRAPH_MIXER_H
#define STASIGRAPH_MIXER_H
/* Bake sets that switch and mix, for C: what stasigraph/mixer.hpp does, call by call, where threads, units
 * and costs are told. */

#include "stasigraph/game.h"

#ifdef __cplusplus
extern "C" {
#endif

/* In a zone's place: all of them. SG_NOTHING there is what is in no zone. */
#define SG_EVERYWHERE 0xfffffffeu

typedef struct sg_mixer sg_mixer;

typedef enum sg_curve { SG_LINEAR = 0, SG_SMOOTH = 1 } sg_curve;
typedef enum sg_paging { SG_PAIR = 0, SG_MANY = 1, SG_COMPOSITE = 2 } sg_paging;

typedef struct sg_mixer_settings {
    sg_paging paging;
    uint32_t set;        /* shown at first */
    size_t bytes;        /* of pixels that one sg_mixer_advance() writes */
    double microseconds; /* 0: any */
} sg_mixer_settings;

typedef struct sg_term {
    uint32_t set;
    float weight;
} sg_term;

typedef struct sg_page_pair {
    sg_pixels from, to;
    uint32_t from_set, to_set;
    float weight;
} sg_page_pair;

typedef struct sg_tile {
    uint32_t page, copy, x, y, width, height;
} sg_tile;

/* settings: NULL for pairs, set 0 and 4 MB. The game has to stay open until sg_mixer_stop(). */
sg_status sg_mixer_start(const sg_game* game, const sg_mixer_settings* settings, sg_mixer** out,
                         char* message, size_t message_size);
void sg_mixer_stop(sg_mixer* mixer);

/* 1, or 0 where there is no such set, series, layer or zone. */
int sg_mixer_request(sg_mixer* mixer, uint32_t set, uint32_t zone, float seconds, sg_curve curve);
int sg_mixer_follow(sg_mixer* mixer, uint32_t series, uint32_t zone, float seconds, sg_curve curve);
int sg_mixer_set_layer(sg_mixer* mixer, uint32_t layer, const float scale[3], const float add[3]);
void sg_mixer_set_clock(sg_mixer* mixer, double hour, double hours_a_second);
double sg_mixer_clock(const sg_mixer* mixer);
void sg_mixer_advance(sg_mixer* mixer, double seconds);

void sg_mixer_pages(const sg_mixer* mixer, uint32_t zone, uint32_t page, uint32_t part, sg_page_pair* out);
void sg_mixer_surface_pages(const sg_mixer* mixer, uint32_t surface, uint32_t part, sg_page_pair* out);
uint32_t sg_mixer_changed_count(const sg_mixer* mixer);
void sg_mixer_changed(const sg_mixer* mixer, uint32_t number, sg_tile* out);
int sg_mixer_whole(const sg_mixer* mixer, uint32_t page);
float sg_mixer_progress(const sg_mixer* mixer, uint32_t zone);
int sg_mixer_waits(const sg_mixer* mixer, uint32_t zone);

/* From any thread. */
uint32_t sg_mixer_terms(const sg_mixer* mixer, uint32_t zone, sg_term* out, uint32_t most);
void sg_mixer_layer_gain(const sg_mixer* mixer, uint32_t layer, uint32_t zone, float rgb[3]);
void sg_mixer_gain(const sg_mixer* mixer, uint32_t group, uint32_t zone, float rgb[3]);
void sg_mixer_sample(const sg_mixer* mixer, const float point[3], const float normal[3], uint32_t* hint,
                     float rgb[3]);
void sg_mixer_sample_coefficients(const sg_mixer* mixer, const float point[3], uint32_t* hint, float out[27]);
void sg_mixer_sample_weights(const sg_mixer* mixer, const sg_weights* weights, const float normal[3],
                             float rgb[3]);
void sg_mixer_weights_coefficients(const sg_mixer* mixer, const sg_weights* weights, float out[27]);
void sg_mixer_surface_light(const sg_mixer* mixer, uint32_t surface, float u, float v, float rgb[3]);

#ifdef __cplusplus
}
#endif
#endif
