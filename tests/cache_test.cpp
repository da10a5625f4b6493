// What a bake keeps, and what it makes again: the tool on a small level that is changed, stopped, and
// damaged.

#include <gtest/gtest.h>

#include <csignal>
#include <cstdlib>
#include <map>
#include <thread>

#include <fcntl.h>
#include <sys/mount.h>
#include <sys/wait.h>
#include <unistd.h>

#include "room.hpp"

namespace test::cache_tests {
namespace {

/// Every file below a folder.
std::map<std::string, std::string> results(const fs::path& folder) {
    std::map<std::string, std::string> files;
    for (const auto& entry : fs::recursive_directory_iterator(folder)) {
        const std::string name = entry.path().lexically_relative(folder).string();
        // Once under its plain name; the result's own folder holds the same files.
        if (!entry.is_regular_file() || name.front() == '.') continue;
        files[name] = read_text(entry.path());
    }
    return files;
}

void expect_same(const std::map<std::string, std::string>& a, const std::map<std::string, std::string>& b) {
    ASSERT_GT(a.size(), 5u);
    for (const auto& [name, bytes] : a) {
        const auto other = b.find(name);
        if (other == b.end())
            ADD_FAILURE() << name << " is missing";
        else
            EXPECT_TRUE(other->second == bytes) << name << " has other bytes";
    }
    EXPECT_EQ(a.size(), b.size());
}

TEST(Cache, a_second_bake_touches_nothing_and_says_so) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    EXPECT_TRUE(room.status()["up_to_date"].get<bool>());
    const auto time = fs::last_write_time(room.baked / "manifest.json");
    const Ran again = room.bake("--json");
    ASSERT_EQ(again.status, 0) << again.err;
    EXPECT_TRUE(again.json()["up_to_date"].get<bool>());
    EXPECT_EQ(fs::last_write_time(room.baked / "manifest.json"), time);
}

TEST(Cache, without_it_the_same_bytes_come_out) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    const auto first = results(room.baked);
    const Ran kept = room.bake("--rebake --json");
    ASSERT_EQ(kept.status, 0) << kept.err;
    EXPECT_EQ(kept.json()["links_traced"], 0);
    EXPECT_EQ(kept.json()["layers_made"], 0);
    expect_same(first, results(room.baked));
    fs::remove_all(room.cache);
    const Ran anew = room.bake("--rebake --json");
    EXPECT_GT(anew.json()["links_traced"], 0);
    expect_same(first, results(room.baked));
}

TEST(Cache, bytes_do_not_depend_on_the_history_of_edits) {
    const Room room;
    const char* sun = "elevation = 50";
    ASSERT_EQ(room.bake().status, 0);
    room.edit(sun, "elevation = 30");
    ASSERT_EQ(room.bake("--tier proof").status, 0);
    room.edit("elevation = 30", sun);
    room.edit("candela = 200", "candela = 431");
    ASSERT_EQ(room.bake("--tier proof").status, 0);
    const auto by_edits = results(room.baked);
    const Room fresh;
    fresh.edit("candela = 200", "candela = 431");
    fs::create_directories(fresh.baked);
    for (const char* charts : {"charts-glance.bin", "charts-proof.bin"})
        fs::copy_file(room.baked / charts, fresh.baked / charts);
    ASSERT_EQ(fresh.bake("--tier proof").status, 0);
    expect_same(results(fresh.baked), by_edits);
}

TEST(Cache, a_group_dimmed_as_a_whole_is_mixed_and_nothing_else) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    room.edit("lux = 60000", "lux = 20000");
    const Ran dimmed = room.bake("--json");
    ASSERT_EQ(dimmed.status, 0) << dimmed.err;
    EXPECT_EQ(dimmed.json()["links_traced"], 0);
    EXPECT_EQ(dimmed.json()["layers_made"], 0);
    EXPECT_EQ(dimmed.json()["sets"], nlohmann::json({"day"})) << "the night does not show the sun";
}

TEST(Cache, a_lamp_that_moves_lights_its_own_group_alone) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    const auto day = read_text(room.baked / "day/page-0.exr"),
               night = read_text(room.baked / "night/page-0.exr");
    room.edit("at = [0.5", "at = [0.1");
    const Ran moved = room.bake("--json");
    ASSERT_EQ(moved.status, 0) << moved.err;
    EXPECT_EQ(moved.json()["links_traced"], 0);
    EXPECT_EQ(moved.json()["layers_made"], 1);
    EXPECT_EQ(moved.json()["sets"], nlohmann::json({"night"}));
    EXPECT_TRUE(read_text(room.baked / "day/page-0.exr") == day);
    EXPECT_FALSE(read_text(room.baked / "night/page-0.exr") == night);
}

TEST(Cache, a_crate_that_moves_costs_the_links_it_touches) {
    const Room room, fresh;
    const Ran first = room.bake("--json");
    ASSERT_EQ(first.status, 0) << first.err;
    for (const Room* r : {&room, &fresh}) write_room(r->folder.path(), 0.7f);
    const Ran moved = room.bake("--json");
    ASSERT_EQ(moved.status, 0) << moved.err;
    EXPECT_GT(moved.json()["links_traced"], 0);
    EXPECT_LT(moved.json()["links_traced"].get<double>(), 0.5 * first.json()["links_traced"].get<double>());
    EXPECT_NE(moved.err.find("crate moved 0.1 m"), std::string::npos) << moved.err;
    fs::create_directories(fresh.baked);
    fs::copy_file(room.baked / "charts-glance.bin", fresh.baked / "charts-glance.bin");
    ASSERT_EQ(fresh.bake().status, 0);
    expect_same(results(fresh.baked), results(room.baked));
}

TEST(Cache, probes_that_stand_elsewhere_are_lit_anew) {
    const Room room, fresh;
    ASSERT_EQ(room.bake().status, 0);
    const std::string before = read_text(room.baked / "probes.bin");
    // As many probes as before, so that only where they stand tells them apart.
    for (const Room* r : {&room, &fresh}) r->edit("low = [-1.5, 0.3, -1.5]", "low = [-1.4, 0.3, -1.5]");
    ASSERT_EQ(room.bake().status, 0);
    ASSERT_EQ(fresh.bake().status, 0);
    const std::string moved = read_text(room.baked / "probes.bin");
    EXPECT_EQ(moved.size(), before.size());
    EXPECT_TRUE(moved == read_text(fresh.baked / "probes.bin"));
    EXPECT_FALSE(moved == before);
}

TEST(Cache, the_manifest_says_what_bounces_were_made_to_carry) {
    const Room room;
    room.edit("tier = \"glance\"", "tier = \"glance\"\nbounce_gain = 1.5\nsaturation = 0.5");
    ASSERT_EQ(room.bake().status, 0);
    const auto settings = nlohmann::json::parse(read_text(room.baked / "manifest.json"))["settings"];
    EXPECT_EQ(settings["bounce_gain"], 1.5);
    EXPECT_EQ(settings["saturation"], 0.5);
}

TEST(Cache, a_higher_tier_traces_what_is_missing_and_no_more) {
    const Room room;
    const Ran proof = room.bake("--tier proof --json");
    ASSERT_EQ(proof.status, 0) << proof.err;
    const Ran best = room.bake("--tier final --json");
    ASSERT_EQ(best.status, 0) << best.err;
    const std::size_t had = proof.json()["links"], has = best.json()["links"],
                      traced = best.json()["links_traced"];
    EXPECT_GT(has, had);
    EXPECT_EQ(traced, has - had);
}

SLOW_TEST(Cache, damaged_files_are_noticed_told_of_and_made_again) {
    const Room room;
    ASSERT_EQ(room.bake().status, 0);
    const auto right = results(room.baked);
    std::map<std::string, fs::path> kinds;  // one of each
    for (const auto& entry : fs::directory_iterator(room.cache)) {
        const std::string name = entry.path().filename().string();
        if (entry.path().extension() != ".bin") continue;
        kinds[name.substr(0, name.rfind('-'))] = entry.path();
    }
    EXPECT_GE(kinds.size(), 5u);
    for (const auto& [kind, path] : kinds)
        for (const bool cut : {false, true}) {
            // Layers hide what they were made from, unless they are gone; their light at probes what it was
            // made from; and texels what they were edited from.
            const auto hides = [&, kind = kind](const std::string& name) {
                if (kind == "radiosity") return name.starts_with("layer-probes-");
                if (kind.starts_with("layer")) return false;
                return name.starts_with("layer-") || (kind == "marks" && name.starts_with("texels-"));
            };
            for (const auto& entry : fs::directory_iterator(room.cache))
                if (hides(entry.path().filename().string())) fs::remove(entry.path());
            std::string bytes = read_text(path);
            ASSERT_GT(bytes.size(), 40u) << path;
            if (cut)
                bytes.resize(bytes.size() / 2);
            else
                bytes[bytes.size() * 2 / 3] = static_cast<char>(bytes[bytes.size() * 2 / 3] ^ 0x10);
            write_bytes(path, bytes);
            const Ran again = room.bake("--rebake");
            ASSERT_EQ(again.status, 0) << again.err;
            EXPECT_NE(again.err.find("damaged"), std::string::npos) << kind << ": " << again.err;
            EXPECT_NE(again.err.find(path.filename().string()), std::string::npos) << again.err;
            expect_same(right, results(room.baked));
        }
}

SLOW_TEST(Cache, a_bake_that_is_killed_goes_on_and_ends_with_the_same_bytes) {
    const Room whole, room;
    for (const Room* r : {&whole, &room}) r->edit("density = 8", "density = 40");  // that it takes a while
    ASSERT_EQ(whole.bake("--tier proof").status, 0);
    const auto right = results(whole.baked);
    std::uint32_t random = 20261125;
    int killed = 0;
    for (int i = 0; i < 30; ++i) {
        random = random * 1664525u + 1013904223u;
        const pid_t child = fork();
        ASSERT_GE(child, 0);
        if (child == 0) {
            const int nowhere = open("/dev/null", O_WRONLY);
            dup2(nowhere, 1);
            dup2(nowhere, 2);
            execl(STASIGRAPH_TOOL_PATH, "stasigraph", "bake", room.sheet.c_str(), "--tier", "proof",
                  "--rebake", "--quiet", nullptr);
            _exit(127);
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(random / 16777216u * 150 / 256));
        kill(child, SIGKILL);
        int state = 0;
        waitpid(child, &state, 0);
        killed += WIFSIGNALED(state) ? 1 : 0;
        // Whoever reads sees a whole result of some bake, or none.
        if (i % 6 == 5 && fs::exists(room.baked / "manifest.json")) {
            const Ran meter = tool("meter --json --quiet --at 0,0,0 " + room.sheet.string());
            EXPECT_EQ(meter.status, 0) << meter.err;
        }
    }
    EXPECT_GE(killed, 10);
    const Ran last = room.bake("--tier proof --rebake");
    ASSERT_EQ(last.status, 0) << last.err;
    expect_same(right, results(room.baked));
    for (const auto& folder : {room.baked, room.cache})
        for (const auto& entry : fs::recursive_directory_iterator(folder))
            EXPECT_TRUE(entry.path().filename().string()[0] != '.' ||
                        entry.path().filename().string() ==
                            nlohmann::json::parse(read_text(room.baked / "manifest.json"))["result"]
                                .get<std::string>())
                << "left over: " << entry.path();
}

TEST(Cache, a_second_bake_of_the_same_folder_stops_and_says_why) {
    const Room room;
    fs::create_directories(room.baked);
    const FolderLock lock(room.baked);
    const Ran second = room.bake();
    EXPECT_EQ(second.status, 1);
    EXPECT_NE(second.err.find("another bake"), std::string::npos) << second.err;
    EXPECT_FALSE(fs::exists(room.baked / "manifest.json"));
}

/// A disk of a given size; not there where mounting is not allowed.
class SmallDisk {
public:
    SmallDisk(const fs::path& at, const std::string& size) : at_(at) {
        fs::create_directories(at);
        there = mount("tmpfs", at.c_str(), "tmpfs", 0, ("size=" + size).c_str()) == 0;
    }
    ~SmallDisk() {
        if (there) umount(at_.c_str());
    }
    bool there = false;

private:
    fs::path at_;
};

TEST(Cache, a_full_disk_leaves_the_last_good_result) {
    const Room room;
    ASSERT_EQ(room.bake("--set day").status, 0);
    std::size_t size = 0;
    for (const auto& [name, bytes] : results(room.baked)) size += bytes.size() + 4096;
    // Room for the result twice, since the new one is whole before the old one goes.
    const SmallDisk disk(room.folder / "disk", std::to_string(2 * size + 65536));
    if (!disk.there) GTEST_SKIP() << "no right to mount a small disk here";
    const std::string out = "--out " + (room.folder / "disk/baked").string();
    const Ran small = room.bake(out + " --set day");
    ASSERT_EQ(small.status, 0) << small.err;
    const auto right = results(room.folder / "disk/baked");
    room.edit("density = 8", "density = 160");
    const Ran large = room.bake(out);
    EXPECT_EQ(large.status, 1);
    EXPECT_NE(large.err.find("space"), std::string::npos) << large.err;
    auto now = results(room.folder / "disk/baked");
    EXPECT_TRUE(now["manifest.json"] == right.at("manifest.json"));
    const Ran meter = tool("meter --json --quiet --at 0,0,0 " + room.sheet.string() + " " + out);
    EXPECT_EQ(meter.status, 0) << meter.err;
}

TEST(Cache, a_cache_that_cannot_be_written_costs_time_and_nothing_else) {
    const Room room;
    const SmallDisk disk(room.cache, "64k");
    if (!disk.there) GTEST_SKIP() << "no right to mount a small disk here";
    const Ran r = room.bake();
    ASSERT_EQ(r.status, 0) << r.err;
    EXPECT_NE(r.err.find("cache cannot be written"), std::string::npos) << r.err;
    const Room other;
    ASSERT_EQ(other.bake().status, 0);
    expect_same(results(other.baked), results(room.baked));
}

}  // namespace
}  // namespace test::cache_tests
