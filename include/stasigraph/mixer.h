#ifndef STASIGRAPH_MIXER_H
#define STASIGRAPH_MIXER_H
/* Bake sets that switch and mix, for C: what stasigraph/mixer.hpp does, call by call, where threads, units
 * and costs are told. */

#include "stasigraph/game.h"

#ifdef __cplusplus
extern "C" {
#endif

/* In a zone's place: all of them. SGRAPH_NOTHING there is what is in no zone. */
#define SGRAPH_EVERYWHERE 0xfffffffeu

typedef struct sgraph_mixer sgraph_mixer;

typedef enum sgraph_curve { SGRAPH_LINEAR = 0, SGRAPH_SMOOTH = 1 } sgraph_curve;
typedef enum sgraph_paging { SGRAPH_PAIR = 0, SGRAPH_MANY = 1, SGRAPH_COMPOSITE = 2 } sgraph_paging;

typedef struct sgraph_mixer_options {
    sgraph_paging paging;
    uint32_t set;        /* shown at first */
    size_t bytes;        /* of pixels that one sgraph_mixer_advance() writes */
    double microseconds; /* 0: any */
} sgraph_mixer_options;

typedef struct sgraph_term {
    uint32_t set;
    float weight;
} sgraph_term;

typedef struct sgraph_page_pair {
    sgraph_pixels from, to;
    uint32_t from_set, to_set;
    float weight;
} sgraph_page_pair;

typedef struct sgraph_tile {
    uint32_t page, copy, x, y, width, height;
} sgraph_tile;

/* settings: NULL for pairs, set 0 and 4 MB. The game has to stay open until sgraph_mixer_stop(). */
sgraph_status sgraph_mixer_start(const sgraph_game* game, const sgraph_mixer_options* settings,
                                 sgraph_mixer** out, char* message, size_t message_size);
void sgraph_mixer_stop(sgraph_mixer* mixer);

/* 1, or 0 where there is no such set, series, layer or zone. */
int sgraph_mixer_request(sgraph_mixer* mixer, uint32_t set, uint32_t zone, float seconds, sgraph_curve curve);
int sgraph_mixer_follow(sgraph_mixer* mixer, uint32_t series, uint32_t zone, float seconds,
                        sgraph_curve curve);
int sgraph_mixer_set_layer(sgraph_mixer* mixer, uint32_t layer, const float scale[3], const float add[3]);
void sgraph_mixer_set_clock(sgraph_mixer* mixer, double hour, double hours_a_second);
double sgraph_mixer_clock(const sgraph_mixer* mixer);
void sgraph_mixer_advance(sgraph_mixer* mixer, double seconds);

void sgraph_mixer_pages(const sgraph_mixer* mixer, uint32_t zone, uint32_t page, uint32_t part,
                        sgraph_page_pair* out);
void sgraph_mixer_surface_pages(const sgraph_mixer* mixer, uint32_t surface, uint32_t part,
                                sgraph_page_pair* out);
uint32_t sgraph_mixer_changed_count(const sgraph_mixer* mixer);
void sgraph_mixer_changed(const sgraph_mixer* mixer, uint32_t number, sgraph_tile* out);
/* The mixer's own page that a tile is of; no pixels where there is none. */
void sgraph_mixer_own_page(const sgraph_mixer* mixer, uint32_t copy, uint32_t page, uint32_t part,
                           sgraph_pixels* out);
int sgraph_mixer_whole(const sgraph_mixer* mixer, uint32_t page);
float sgraph_mixer_progress(const sgraph_mixer* mixer, uint32_t zone);
int sgraph_mixer_waits(const sgraph_mixer* mixer, uint32_t zone);

/* From any thread. */
uint32_t sgraph_mixer_terms(const sgraph_mixer* mixer, uint32_t zone, sgraph_term* out, uint32_t most);
void sgraph_mixer_layer_gain(const sgraph_mixer* mixer, uint32_t layer, uint32_t zone, float rgb[3]);
void sgraph_mixer_gain(const sgraph_mixer* mixer, uint32_t group, uint32_t zone, float rgb[3]);
void sgraph_mixer_sample(const sgraph_mixer* mixer, const float point[3], const float normal[3],
                         uint32_t* hint, float rgb[3]);
void sgraph_mixer_sample_coefficients(const sgraph_mixer* mixer, const float point[3], uint32_t* hint,
                                      float out[27]);
void sgraph_mixer_sample_weights(const sgraph_mixer* mixer, const sgraph_weights* weights,
                                 const float normal[3], float rgb[3]);
void sgraph_mixer_weights_coefficients(const sgraph_mixer* mixer, const sgraph_weights* weights,
                                       float out[27]);
void sgraph_mixer_light(const sgraph_mixer* mixer, const sgraph_weights* weights, sgraph_place_light* out);
void sgraph_mixer_surface_light(const sgraph_mixer* mixer, uint32_t surface, float u, float v, float rgb[3]);

#ifdef __cplusplus
}
#endif
#endif
