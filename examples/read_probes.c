/* The game's side in C: reads probes.bin and prints the light of the brightest usable probe of each set.
   Usage: read_probes baked/probes.bin */

#include <stasigraph/runtime.h>
#include <stdio.h>

int main(int argc, char** argv) {
    sgraph_probes* probes;
    char message[128];
    uint32_t set, i;
    if (argc != 2) {
        fprintf(stderr, "usage: read_probes probes.bin\n");
        return 2;
    }
    if (sgraph_probes_load(argv[1], &probes, message, sizeof message) != SGRAPH_OK) {
        fprintf(stderr, "%s: %s\n", argv[1], message);
        return 1;
    }
    printf("%u probes, %u sets\n", (unsigned)sgraph_probes_count(probes), (unsigned)sgraph_probes_set_count(probes));
    for (set = 0; set < sgraph_probes_set_count(probes); ++set) {
        const float up[3] = {0, 1, 0};
        float best[3] = {0, 0, 0}, at[3] = {0, 0, 0};
        for (i = 0; i < sgraph_probes_count(probes); ++i) {
            float rgb[3];
            if (sgraph_probes_front_share(probes, i) < 0.7f) continue;
            sgraph_probes_irradiance(probes, set, i, up, rgb);
            if (rgb[1] <= best[1]) continue;
            best[0] = rgb[0];
            best[1] = rgb[1];
            best[2] = rgb[2];
            sgraph_probes_position(probes, i, at);
        }
        printf("%-12s brightest from above at %.1f, %.1f, %.1f m: %.4g %.4g %.4g lux\n",
               sgraph_probes_set_name(probes, set), (double)at[0], (double)at[1], (double)at[2], (double)best[0],
               (double)best[1], (double)best[2]);
    }
    sgraph_probes_free(probes);
    return 0;
}
