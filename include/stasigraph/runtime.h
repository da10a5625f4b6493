#ifndef STASIGRAPH_RUNTIME_H
#define STASIGRAPH_RUNTIME_H
/* The runtime for C. Nothing throws or aborts; every pointer that is returned belongs to the object it came
 * from. */

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct sg_probes sg_probes;
typedef enum sg_status {
    SG_OK = 0,
    SG_NOT_FOUND = 1,
    SG_DAMAGED = 2,
    SG_WRONG_VERSION = 3,
    SG_NO_MEMORY = 4
} sg_status;

/* Reads probes.bin. On success *out is a new object for sg_probes_free(); else it is NULL and message, where
   it is not NULL, receives at most message_size bytes of text, zero-terminated. */
sg_status sg_probes_load(const char* path, sg_probes** out, char* message, size_t message_size);
void sg_probes_free(sg_probes* probes);

uint32_t sg_probes_count(const sg_probes* probes);
uint32_t sg_probes_set_count(const sg_probes* probes);
const char* sg_probes_set_name(const sg_probes* probes, uint32_t set);
uint32_t sg_probes_find_set(const sg_probes* probes, const char* name);
void sg_probes_position(const sg_probes* probes, uint32_t probe, float xyz[3]);
float sg_probes_validity(const sg_probes* probes, uint32_t probe);
float sg_probes_clearance(const sg_probes* probes, uint32_t probe);
const float* sg_probes_coefficients(const sg_probes* probes, uint32_t set, uint32_t probe);
/* E at a unit normal, lux. */
void sg_probes_irradiance(const sg_probes* probes, uint32_t set, uint32_t probe, const float normal[3],
                          float rgb[3]);

/* The probes that answer at a point, and their weights; returns how many, at most 8. *hint: any number at
   first; keep it with what moves, and pass it again. */
int sg_probes_weights(const sg_probes* probes, const float point[3], uint32_t* hint, uint32_t numbers[8],
                      float weights[8]);

#ifdef __cplusplus
}
#endif
#endif
