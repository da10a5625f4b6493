#ifndef STASIGRAPH_GAME_H
#define STASIGRAPH_GAME_H
/* A packed level, game.sgl, for C: what stasigraph/game.hpp does, call by call, where units, ranges and costs
 * are told. Nothing throws or aborts; every pointer that is returned belongs to the game it came from. */

#include "stasigraph/runtime.h"

#ifdef __cplusplus
extern "C" {
#endif

#define SG_NOTHING 0xffffffffu

typedef struct sg_game sg_game;

/* format: 97 is four half floats a texel, 123 nine bits a channel and a shared exponent, as Vulkan numbers
 * them. */
typedef struct sg_pixels {
    const void* data; /* NULL: there are none */
    size_t size;
    uint32_t side;
    int exponent; /* light is value times 2^exponent */
    uint32_t format;
} sg_pixels;

typedef struct sg_surface {
    const char *name, *node;
    uint32_t page; /* SG_NOTHING: it has no lightmap */
    uint32_t zone; /* SG_NOTHING: it is in none */
    float scale[2], offset[2];
} sg_surface;

/* Which answer at a point, at most 8 probes or 4 reflection probes. */
typedef struct sg_weights {
    int count;
    uint32_t probe[8];
    float weight[8];
    float beyond;
} sg_weights;

/* On success *out is a new object for sg_game_close(); else it is NULL and message, where it is not NULL,
   receives at most message_size bytes of text, zero-terminated. Memory that is given stays the caller's,
   unchanged until then. */
sg_status sg_game_open(const char* path, sg_game** out, char* message, size_t message_size);
sg_status sg_game_open_memory(const void* data, size_t size, sg_game** out, char* message,
                              size_t message_size);
void sg_game_close(sg_game* game);
/* 1 where every byte is what was written. */
int sg_game_verify(const sg_game* game);

uint32_t sg_game_chunk_count(const sg_game* game);
const char* sg_game_chunk(const sg_game* game, uint32_t number, size_t* size);

uint32_t sg_game_set_count(const sg_game* game);
const char* sg_game_set_name(const sg_game* game, uint32_t set);
uint32_t sg_game_find_set(const sg_game* game, const char* name);
uint32_t sg_game_group_count(const sg_game* game);
const char* sg_game_group_name(const sg_game* game, uint32_t group);
void sg_game_gain(const sg_game* game, uint32_t set, uint32_t group, float rgb[3]);

uint32_t sg_game_zone_count(const sg_game* game);
const char* sg_game_zone_name(const sg_game* game, uint32_t zone);
uint32_t sg_game_find_zone(const sg_game* game, const char* name);
uint32_t sg_game_probe_zone(const sg_game* game, uint32_t probe);
uint32_t sg_game_reflection_zone(const sg_game* game, uint32_t reflection);

uint32_t sg_game_layer_count(const sg_game* game);
void sg_game_layer(const sg_game* game, uint32_t number, uint32_t* group, uint32_t* set);
uint32_t sg_game_find_layer(const sg_game* game, const char* group);

uint32_t sg_game_series_count(const sg_game* game);
const char* sg_game_series_name(const sg_game* game, uint32_t series);
uint32_t sg_game_find_series(const sg_game* game, const char* name);
uint32_t sg_game_series_length(const sg_game* game, uint32_t series);
void sg_game_series_step(const sg_game* game, uint32_t series, uint32_t step, uint32_t* set, float* hour);

uint32_t sg_game_surface_count(const sg_game* game);
void sg_game_surface(const sg_game* game, uint32_t number, sg_surface* out);
uint32_t sg_game_find_surface(const sg_game* game, const char* name);

uint32_t sg_game_page_count(const sg_game* game);
uint32_t sg_game_page_side(const sg_game* game, uint32_t page);
void sg_game_page(const sg_game* game, uint32_t set, uint32_t page, uint32_t part, sg_pixels* out);
void sg_game_page_light(const sg_game* game, uint32_t set, uint32_t page, float x, float y, float rgb[3]);

uint32_t sg_game_probe_count(const sg_game* game);
void sg_game_weights(const sg_game* game, const float point[3], uint32_t* hint, sg_weights* out);
const float* sg_game_coefficients(const sg_game* game, uint32_t set, uint32_t probe);
void sg_game_irradiance(const sg_game* game, uint32_t set, const sg_weights* weights, const float normal[3],
                        float rgb[3]);
void sg_game_mixed_coefficients(const sg_game* game, uint32_t set, const sg_weights* weights, float out[27]);

uint32_t sg_game_reflection_count(const sg_game* game);
const char* sg_game_reflection_name(const sg_game* game, uint32_t reflection);
uint32_t sg_game_reflection_levels(const sg_game* game, uint32_t reflection);
void sg_game_reflection_map(const sg_game* game, uint32_t set, uint32_t reflection, uint32_t level,
                            sg_pixels* out);
void sg_game_reflections(const sg_game* game, const float point[3], const float normal[3], sg_weights* out);
void sg_game_reflection_direction(const sg_game* game, uint32_t reflection, const float point[3],
                                  const float direction[3], float out[3]);

#ifdef __cplusplus
}
#endif
#endif
