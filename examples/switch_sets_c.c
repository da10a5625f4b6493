/* The same for C, into pages of the mixer's own: for a target that cannot blend lightmaps in a shader.
 *
 *   switch_sets_c baked/game.sgl ZONE SET-AT-FIRST SET-THEN
 */

#include <stdio.h>

#include "stasigraph/mixer.h"

int main(int argc, char** argv) {
    sgraph_game* game = NULL;
    sgraph_mixer* mixer = NULL;
    sgraph_mixer_options settings = {SGRAPH_COMPOSITE, 0, 256 * 1024, 0};
    char message[128] = "";
    uint32_t zone, first, then, n, frame, tiles = 0;
    unsigned long bytes = 0;
    if (argc < 5) {
        fputs("usage: switch_sets_c GAME.sgl ZONE SET-AT-FIRST SET-THEN\n", stderr);
        return 2;
    }
    if (sgraph_game_open(argv[1], &game, message, sizeof message) != SGRAPH_OK) {
        fprintf(stderr, "%s %s\n", argv[1], message);
        return 1;
    }
    zone = sgraph_game_find_zone(game, argv[2]);
    first = sgraph_game_find_set(game, argv[3]);
    then = sgraph_game_find_set(game, argv[4]);
    settings.set = first;
    if (zone == SGRAPH_NOTHING || first == SGRAPH_NOTHING || then == SGRAPH_NOTHING ||
        sgraph_mixer_start(game, &settings, &mixer, message, sizeof message) != SGRAPH_OK) {
        fprintf(stderr, "the level has no such zone or set %s\n", message);
        sgraph_game_close(game);
        return 1;
    }
    printf("%lu kB of pixels a frame at most\n", (unsigned long)(settings.bytes / 1024));
    sgraph_mixer_request(mixer, then, zone, 0.5f, SGRAPH_SMOOTH);
    for (frame = 1; frame <= 120; ++frame) {
        sgraph_mixer_advance(mixer, 1.0 / 60);
        /* A game uploads these rectangles of its textures, and nothing else. */
        n = sgraph_mixer_changed_count(mixer);
        if (n == 0 && sgraph_mixer_progress(mixer, zone) == 1) break;
        while (n-- > 0) {
            sgraph_tile t;
            sgraph_page_pair own;
            sgraph_mixer_changed(mixer, n, &t);
            sgraph_mixer_pages(mixer, SGRAPH_NOTHING, t.page, 0, &own);
            bytes += (unsigned long)(own.from.size / own.from.side / own.from.side) * t.width * t.height;
            ++tiles;
        }
        if (frame % 15 == 0)
            printf("frame %3u: fade %3.0f %%, %u tiles so far\n", frame,
                   100.0 * sgraph_mixer_progress(mixer, zone), tiles);
    }
    printf("settled after %u frames: %u tiles, %.1f MB written\n", frame, tiles, (double)bytes / 1e6);
    sgraph_mixer_stop(mixer);
    sgraph_game_close(game);
    return 0;
}
