#ifndef STASIGRAPH_RUNTIME_H
#define STASIGRAPH_RUNTIME_H
/* The runtime for C. Nothing throws or aborts; every pointer that is returned belongs to the object it came
 * from. */

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct sgraph_probes sgraph_probes;
typedef enum sgraph_status {
    SGRAPH_OK = 0,
    SGRAPH_NOT_FOUND = 1,
    SGRAPH_DAMAGED = 2,
    SGRAPH_WRONG_VERSION = 3,
    SGRAPH_NO_MEMORY = 4
} sgraph_status;

/* Reads probes.bin. On success *out is a new object for sgraph_probes_free(); else it is NULL and message,
   where it is not NULL, receives at most message_size bytes of text, zero-terminated. */
sgraph_status sgraph_probes_load(const char* path, sgraph_probes** out, char* message, size_t message_size);
void sgraph_probes_free(sgraph_probes* probes);

uint32_t sgraph_probes_count(const sgraph_probes* probes);
uint32_t sgraph_probes_set_count(const sgraph_probes* probes);
const char* sgraph_probes_set_name(const sgraph_probes* probes, uint32_t set);
uint32_t sgraph_probes_find_set(const sgraph_probes* probes, const char* name);
void sgraph_probes_position(const sgraph_probes* probes, uint32_t probe, float xyz[3]);
float sgraph_probes_front_share(const sgraph_probes* probes, uint32_t probe);
float sgraph_probes_clearance(const sgraph_probes* probes, uint32_t probe);
const float* sgraph_probes_coefficients(const sgraph_probes* probes, uint32_t set, uint32_t probe);
/* E at a unit normal, lux. */
void sgraph_probes_irradiance(const sgraph_probes* probes, uint32_t set, uint32_t probe,
                              const float normal[3], float rgb[3]);

/* The probes that answer at a point, and their weights; returns how many, at most 8. *hint: any number at
   first; keep it with what moves, and pass it again. */
int sgraph_probes_weights(const sgraph_probes* probes, const float point[3], uint32_t* hint,
                          uint32_t numbers[8], float weights[8]);
/* E at a point at a unit normal, lux: lamps that probes tell by themselves are worked out there. */
void sgraph_probes_irradiance_at(const sgraph_probes* probes, uint32_t set, const float point[3],
                                 const float normal[3], uint32_t* hint, float rgb[3]);

#ifdef __cplusplus
}
#endif
#endif
