#include "stasigraph/baked_level.hpp"

#include "stasigraph/error.hpp"
#include "stasigraph/game.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

BakedLevel load_baked_level(Level level, const fs::path& folder, const std::string& set,
                            std::optional<Tier> tier) {
    BakedLevel b{.level = std::move(level), .bake = {}};
    if (!tier) tier = baked_tier(folder);
    if (tier) b.level.quality.tier = *tier;
    b.bake = load_bake(folder, b.level, set);
    return b;
}

void pack_bake(const BakedLevel& baked, const fs::path& folder, const fs::path& file,
               const GameOptions& settings, Job& job) {
    // What is written elsewhere is in nobody's way.
    std::optional<FolderLock> lock;
    if (fs::weakly_canonical(file).parent_path() == fs::weakly_canonical(folder)) lock.emplace(folder);
    job.begin(Stage::game, 1);
    save_game(file, {baked.level, baked.bake.atlas}, baked.bake, settings);
    job.finish();
    // As the game will read it, byte for byte.
    runtime::Game game;
    if (game.open(file.c_str()) != runtime::Status::ok || !game.verify())
        throw Error{.what = "was written, and cannot be read back",
                    .where = file.string(),
                    .value = game.message(),
                    .remedy = "Check the disk, and pack again."};
}

}  // namespace stasigraph
