#ifndef STASIGRAPH_GAME_H
#define STASIGRAPH_GAME_H
/* A packed level, game.sgl, for C: what stasigraph/game.hpp does, call by call, where units, ranges and costs
 * are told. Nothing throws or aborts; every pointer that is returned belongs to the game it came from. */

#include "stasigraph/runtime.h"

#ifdef __cplusplus
extern "C" {
#endif

#define SGRAPH_NOTHING 0xffffffffu

typedef struct sgraph_game sgraph_game;

/* format: 97 is four half floats a texel, 123 nine bits a channel and a shared exponent, as Vulkan numbers
 * them. */
typedef struct sgraph_pixels {
    const void* data; /* NULL: there are none */
    size_t size;
    uint32_t side;
    int exponent; /* light is value times 2^exponent */
    uint32_t format;
} sgraph_pixels;

typedef struct sgraph_surface {
    const char *name, *node;
    uint32_t page; /* SGRAPH_NOTHING: it has no lightmap */
    uint32_t zone; /* SGRAPH_NOTHING: it is in none */
    float scale[2], offset[2];
    uint32_t glb_node, glb_primitive; /* in the written .glb; SGRAPH_NOTHING: not there */
} sgraph_surface;

/* Which answer at a point, at most 8 probes or 4 reflection probes. */
typedef struct sgraph_weights {
    int count;
    uint32_t probe[8];
    float weight[8];
    float beyond;
    int placed; /* 1 where at is the point that was asked for: lamps are worked out there */
    float at[3];
} sgraph_weights;

/* A lamp's light at a place: where it stands from there, and lux on a plane that faces it. */
typedef struct sgraph_lamp_light {
    uint32_t lamp;
    float toward[3];
    float lux[3];
} sgraph_lamp_light;

/* Light at a place for a shader: E at a unit normal is the sum of coefficients times basis, plus for each lamp
   max(0, dot(normal, toward)) * lux; shiny things add a highlight of each. */
typedef struct sgraph_place_light {
    float coefficients[27]; /* all light but these lamps */
    int count;
    sgraph_lamp_light lamp[4];
} sgraph_place_light;

/* On success *out is a new object for sgraph_game_close(); else it is NULL and message, where it is not NULL,
   receives at most message_size bytes of text, zero-terminated. Memory that is given stays the caller's,
   unchanged until then. */
sgraph_status sgraph_game_open(const char* path, sgraph_game** out, char* message, size_t message_size);
sgraph_status sgraph_game_open_memory(const void* data, size_t size, sgraph_game** out, char* message,
                                      size_t message_size);
void sgraph_game_close(sgraph_game* game);
/* 1 where every byte is what was written. */
int sgraph_game_verify(const sgraph_game* game);

uint32_t sgraph_game_chunk_count(const sgraph_game* game);
const char* sgraph_game_chunk(const sgraph_game* game, uint32_t number, size_t* size);

uint32_t sgraph_game_set_count(const sgraph_game* game);
const char* sgraph_game_set_name(const sgraph_game* game, uint32_t set);
uint32_t sgraph_game_find_set(const sgraph_game* game, const char* name);
uint32_t sgraph_game_group_count(const sgraph_game* game);
const char* sgraph_game_group_name(const sgraph_game* game, uint32_t group);
void sgraph_game_gain(const sgraph_game* game, uint32_t set, uint32_t group, float rgb[3]);

uint32_t sgraph_game_zone_count(const sgraph_game* game);
const char* sgraph_game_zone_name(const sgraph_game* game, uint32_t zone);
uint32_t sgraph_game_find_zone(const sgraph_game* game, const char* name);
uint32_t sgraph_game_probe_zone(const sgraph_game* game, uint32_t probe);
uint32_t sgraph_game_reflection_zone(const sgraph_game* game, uint32_t reflection);

uint32_t sgraph_game_layer_count(const sgraph_game* game);
void sgraph_game_layer(const sgraph_game* game, uint32_t number, uint32_t* group, uint32_t* set);
uint32_t sgraph_game_find_layer(const sgraph_game* game, const char* group);

uint32_t sgraph_game_series_count(const sgraph_game* game);
const char* sgraph_game_series_name(const sgraph_game* game, uint32_t series);
uint32_t sgraph_game_find_series(const sgraph_game* game, const char* name);
uint32_t sgraph_game_series_length(const sgraph_game* game, uint32_t series);
void sgraph_game_series_step(const sgraph_game* game, uint32_t series, uint32_t step, uint32_t* set,
                             float* hour);

uint32_t sgraph_game_surface_count(const sgraph_game* game);
void sgraph_game_surface(const sgraph_game* game, uint32_t number, sgraph_surface* out);
uint32_t sgraph_game_find_surface(const sgraph_game* game, const char* name);

uint32_t sgraph_game_page_count(const sgraph_game* game);
uint32_t sgraph_game_page_side(const sgraph_game* game, uint32_t page);
void sgraph_game_page(const sgraph_game* game, uint32_t set, uint32_t page, uint32_t part,
                      sgraph_pixels* out);
void sgraph_game_page_light(const sgraph_game* game, uint32_t set, uint32_t page, float x, float y,
                            float rgb[3]);

uint32_t sgraph_game_probe_count(const sgraph_game* game);
void sgraph_game_weights(const sgraph_game* game, const float point[3], uint32_t* hint, sgraph_weights* out);
const float* sgraph_game_coefficients(const sgraph_game* game, uint32_t set, uint32_t probe);
void sgraph_game_irradiance(const sgraph_game* game, uint32_t set, const sgraph_weights* weights,
                            const float normal[3], float rgb[3]);
void sgraph_game_light(const sgraph_game* game, uint32_t set, const sgraph_weights* weights,
                       sgraph_place_light* out);
/* Lamps that probes tell by themselves; names are those of the level's lights. */
uint32_t sgraph_game_lamp_count(const sgraph_game* game);
const char* sgraph_game_lamp_name(const sgraph_game* game, uint32_t lamp);
void sgraph_game_lamp_color(const sgraph_game* game, uint32_t set, uint32_t lamp, float rgb[3]);
void sgraph_game_mixed_coefficients(const sgraph_game* game, uint32_t set, const sgraph_weights* weights,
                                    float out[27]);

uint32_t sgraph_game_reflection_count(const sgraph_game* game);
const char* sgraph_game_reflection_name(const sgraph_game* game, uint32_t reflection);
uint32_t sgraph_game_reflection_levels(const sgraph_game* game, uint32_t reflection);
void sgraph_game_reflection_map(const sgraph_game* game, uint32_t set, uint32_t reflection, uint32_t level,
                                sgraph_pixels* out);
void sgraph_game_reflections(const sgraph_game* game, const float point[3], const float normal[3],
                             sgraph_weights* out);
void sgraph_game_reflection_direction(const sgraph_game* game, uint32_t reflection, const float point[3],
                                      const float direction[3], float out[3]);

#ifdef __cplusplus
}
#endif
#endif
