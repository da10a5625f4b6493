// The folder of results: a reader sees the old one or the new one whole, and nobody's files are lost.

#include <gtest/gtest.h>

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>
#include <csignal>
#include <thread>

#include "room.hpp"
#include "stasigraph/game_file.hpp"

namespace {

/// What was flushed to the disk, in order: the file's name at that moment, and how long it was.
struct Flushed {
    std::string name;
    std::uintmax_t size = 0;
};
std::vector<Flushed>* flushed = nullptr;

}  // namespace

/// Stands before the system's own, for the library is in this program.
extern "C" int fsync(int file) {
    if (flushed) {
        std::error_code bad;
        const auto path = std::filesystem::read_symlink("/proc/self/fd/" + std::to_string(file), bad);
        struct stat info {};
        fstat(file, &info);
        flushed->push_back({path.string(), static_cast<std::uintmax_t>(info.st_size)});
    }
    return static_cast<int>(syscall(SYS_fsync, file));
}

namespace test::results_tests {
namespace {

/// Lux at the middle of the floor under a sky of one radiance, as `meter` tells it.
double metered(const fs::path& sheet) {
    const Ran r = tool("meter --json --quiet --at 0,0,0 " + sheet.string());
    EXPECT_EQ(r.status, 0) << r.err;
    return r.status == 0 ? r.json()["readings"][0]["irradiance_lux"][1].get<double>() : -1;
}

/// An open floor under an even sky.
struct Field {
    Folder folder;
    fs::path sheet = folder / "field.toml", baked = folder / "baked/field";
    Field() { write_bytes(folder / "field.gltf", good_gltf().dump()); }
    void write(int radiance, int density) const {
        write_bytes(
            sheet,
            "[level]\nscene = \"field.gltf\"\n[lightmap]\npage = 64\ndensity = " + std::to_string(density) +
                "\n[quality]\ntier = \"glance\"\n[sky]\nradiance = [" + std::to_string(radiance) + ", " +
                std::to_string(radiance) + ", " + std::to_string(radiance) + "]\n");
    }
    Ran bake(const std::string& more = "") const {
        return tool("bake --quiet " + more + " " + sheet.string());
    }
    std::size_t results() const {
        std::size_t count = 0;
        for (const auto& e : fs::directory_iterator(baked))
            count += e.path().filename().string().front() == '.' ? 1 : 0;
        return count;
    }
};

TEST(Results, are_on_the_disk_before_they_have_their_name) {
    const Folder folder;
    std::vector<Flushed> seen;
    flushed = &seen;
    write_text(folder / "note.txt", "a page of a game");
    flushed = nullptr;
    ASSERT_EQ(seen.size(), 2u);
    EXPECT_NE(fs::path(seen[0].name).filename(), "note.txt") << "the file, while it has another name";
    EXPECT_EQ(fs::path(seen[0].name).parent_path(), fs::canonical(folder.path()));
    EXPECT_EQ(seen[0].size, 16u) << "all of it";
    EXPECT_EQ(fs::path(seen[1].name), fs::canonical(folder.path())) << "then the folder, for the name";
    EXPECT_EQ(read_text(folder / "note.txt"), "a page of a game");
}

SLOW_TEST(Results, that_games_read_are_on_the_disk_before_they_have_their_name) {
    Bake b;
    add_floor(b.level, 2);
    b.level.lightmap = {.density = 4, .page = 64};
    b = bake_level(std::move(b.level));
    const Folder folder;
    std::vector<Flushed> seen;
    flushed = &seen;
    save_game(folder / "game.sgl", {b.level, b.atlas}, b.baked, {});
    flushed = nullptr;
    ASSERT_EQ(seen.size(), 2u);
    EXPECT_NE(fs::path(seen[0].name).filename(), "game.sgl");
    EXPECT_EQ(seen[0].size, fs::file_size(folder / "game.sgl"));
}

TEST(Results, a_reader_beside_bakes_sees_one_of_them_whole) {
    const Field field;
    field.write(100, 8);
    ASSERT_EQ(field.bake().status, 0);
    std::atomic<bool> done{false};
    std::jthread baker([&] {  // joins also where a reader throws
        for (int i = 0; i < 12; ++i) {
            field.write(i % 2 ? 100 : 1000, i % 2 ? 8 : 13);
            EXPECT_EQ(field.bake().status, 0);
        }
        done = true;
    });
    int reads = 0, seen[2] = {0, 0};
    Level level = load_level(field.sheet);
    Job job;
    for (; !done; ++reads) {
        const SavedBake bake = load_bake(field.baked, level, "");
        const auto reading =
            meter_lightmap({level, bake.atlas}, bake.sets[0], {{.at = {0, 0, 0}, .facing = {}}}, 0.05f, job);
        ASSERT_TRUE(reading[0].irradiance);
        const float lux = reading[0].irradiance->g;
        const bool bright = lux > 1000;
        EXPECT_NEAR(lux, (bright ? 1000 : 100) * 3.14159f, bright ? 10 : 1);
        ++seen[bright ? 1 : 0];
    }
    baker.join();
    EXPECT_GT(reads, 20);
    EXPECT_GT(seen[0], 0);
    EXPECT_GT(seen[1], 0);
}

TEST(Results, a_bake_killed_anywhere_leaves_the_old_or_the_new_one_and_what_others_put_there) {
    const Field field;
    field.write(100, 8);
    ASSERT_EQ(field.bake().status, 0);
    write_bytes(field.baked / "base/note.txt", "mine");
    write_bytes(field.baked / "note.txt", "mine, too");
    for (int i = 0; i < 16; ++i) {
        field.write(i % 2 ? 100 : 1000, i % 2 ? 8 : 13);
        const pid_t child = fork();
        if (child == 0) {
            if (std::freopen("/dev/null", "w", stdout))
                execl(STASIGRAPH_TOOL_PATH, STASIGRAPH_TOOL_PATH, "bake", "--quiet", field.sheet.c_str(),
                      nullptr);
            _exit(1);
        }
        usleep(static_cast<useconds_t>(4000 * (i + 1)));
        kill(child, SIGKILL);
        waitpid(child, nullptr, 0);
        const double lux = metered(field.sheet);
        EXPECT_TRUE(std::abs(lux - 314.2) < 1 || std::abs(lux - 3141.6) < 10) << lux;
        EXPECT_EQ(read_text(field.baked / "base/note.txt"), "mine");
        EXPECT_EQ(read_text(field.baked / "note.txt"), "mine, too");
    }
    ASSERT_EQ(field.bake().status, 0);
    EXPECT_EQ(field.results(), 1u) << "the present result alone";
    EXPECT_EQ(read_text(field.baked / "base/note.txt"), "mine");
}

TEST(Results, what_a_killed_bake_left_is_cleared_also_where_all_is_up_to_date) {
    const Field field;
    field.write(100, 8);
    ASSERT_EQ(field.bake().status, 0);
    // As if killed between its plain names and its manifest.
    fs::create_directories(field.baked / ".result-0123456789abcdef/base");
    write_bytes(field.baked / ".result-0123456789abcdef/base/page-0.exr", "half done");
    fs::remove(field.baked / "base/page-0.exr");
    fs::create_hard_link(field.baked / ".result-0123456789abcdef/base/page-0.exr",
                         field.baked / "base/page-0.exr");
    write_bytes(field.baked / ".new-17/x", "");
    fs::create_directories(field.baked / ".new-18");
    EXPECT_NEAR(metered(field.sheet), 314.2, 1) << "the manifest's own files";
    const Ran again = tool("bake --json --quiet " + field.sheet.string());
    EXPECT_TRUE(again.json()["up_to_date"].get<bool>());
    EXPECT_EQ(field.results(), 1u);
    EXPECT_NE(read_text(field.baked / "base/page-0.exr"), "half done");
}

TEST(Results, a_file_that_was_changed_is_named) {
    const Field field;
    field.write(100, 8);
    ASSERT_EQ(field.bake().status, 0);
    for (const char* name : {"base/page-0.exr", "charts-glance.bin"}) {
        const std::string whole = read_text(field.baked / name);
        std::string other = whole;
        other[other.size() / 2] = static_cast<char>(other[other.size() / 2] ^ 1);
        write_bytes(field.baked / name, other);
        const Ran r = tool("meter --quiet --at 0,0,0 " + field.sheet.string());
        EXPECT_EQ(r.status, 1);
        EXPECT_NE(r.err.find(name), std::string::npos) << r.err;
        EXPECT_NE(r.err.find("--rebake"), std::string::npos) << r.err;
        ASSERT_EQ(field.bake("--rebake").status, 0);
        EXPECT_EQ(read_text(field.baked / name), whole);
    }
}

TEST(Results, of_two_levels_in_one_folder_are_apart) {
    const Field field;
    field.write(100, 8);
    fs::copy(field.sheet, field.folder / "other.toml");
    ASSERT_EQ(field.bake().status, 0);
    field.write(1000, 8);
    ASSERT_EQ(tool("bake --quiet " + (field.folder / "other.toml").string()).status, 0);
    EXPECT_NEAR(metered(field.folder / "other.toml"), 314.2, 1);
    EXPECT_TRUE(fs::exists(field.baked / "manifest.json"));
    const Ran r = tool("bake " + (field.folder / "other.toml").string() + " --out " + field.baked.string());
    EXPECT_EQ(r.status, 1);
    EXPECT_NE(r.err.find("another level"), std::string::npos) << r.err;
    EXPECT_NE(r.err.find("--out"), std::string::npos) << r.err;
}

TEST(Results, never_take_the_place_of_what_a_level_is_made_of) {
    const Folder folder;
    fs::copy(demo_source() / "observatory.glb", folder / "hall.glb");
    const std::string scene = read_text(folder / "hall.glb"), at = folder.path().string();
    write_bytes(folder / "hall.toml", "[level]\nscene = \"hall.glb\"\n");
    write_bytes(folder / "other.toml", "[level]\nscene = \"hall.glb\"\n[sky]\nimage = \"sky.png\"\n");
    write_bytes(folder / "sky.png", "not looked at");
    for (const std::string& command :
         {"bake " + at + "/hall.glb --tier glance --out " + at, "unwrap " + at + "/hall.toml --out " + at,
          "pack " + at + "/hall.toml --file " + at + "/hall.glb",
          "view " + at + "/hall.toml --show albedo --file " + at + "/hall.toml",
          "view " + at + "/hall.toml --show albedo --file " + at + "/hall.glb",
          "view " + at + "/hall.toml --show albedo --size 64x40 --file " + at + "/sky.png"}) {
        const Ran r = tool(command);
        EXPECT_EQ(r.status, 1) << command;
        EXPECT_NE(r.err.find("written over"), std::string::npos) << command << ": " << r.err;
    }
    EXPECT_TRUE(read_text(folder / "hall.glb") == scene);
    EXPECT_EQ(read_text(folder / "sky.png"), "not looked at");
    EXPECT_FALSE(fs::exists(folder / "manifest.json"));
}

TEST(Results, of_a_lower_tier_are_looked_at_as_what_they_are) {
    const Field field;
    field.write(100, 8);
    std::string text = read_text(field.sheet);
    text.replace(text.find("glance"), 6, "proof");
    write_bytes(field.sheet, text + "[[camera]]\nname = \"c\"\neye = [0, 2, 2]\ntoward = [0, 0, 0]\n");
    ASSERT_EQ(field.bake("--tier glance").status, 0);
    const Ran status = tool("status " + field.sheet.string());
    EXPECT_NE(status.out.find("tier glance; the sheet asks for proof"), std::string::npos) << status.out;
    EXPECT_NE(status.out.find("up to date"), std::string::npos) << status.out;
    const std::string view =
        "view " + field.sheet.string() + " --size 64x40 --file " + (field.folder / "p.png").string();
    const Ran seen = tool(view), filled = tool(view + " --show filled");
    EXPECT_EQ(seen.err.find("out of date"), std::string::npos) << seen.err;
    EXPECT_NE(seen.out.find("glance"), std::string::npos) << seen.out;
    EXPECT_EQ(filled.status, 0) << filled.err;
    EXPECT_NE(tool(view + " --tier proof").err.find("out of date"), std::string::npos);
}

/// The tool as a child that signals are sent to: its exit status and what it said.
Ran signalled(const std::vector<std::string>& arguments,
              const std::vector<std::pair<int, useconds_t>>& signals) {
    const Folder folder;
    const fs::path err = folder / "err";
    const pid_t child = fork();
    if (child == 0) {
        if (!std::freopen(err.c_str(), "w", stderr) || !std::freopen("/dev/null", "w", stdout)) _exit(1);
        std::vector<char*> argv{const_cast<char*>(STASIGRAPH_TOOL_PATH)};
        for (const std::string& a : arguments) argv.push_back(const_cast<char*>(a.c_str()));
        argv.push_back(nullptr);
        execv(argv[0], argv.data());
        _exit(1);
    }
    for (const auto& [number, after] : signals) {
        usleep(after);
        kill(child, number);
    }
    int status = 0;
    waitpid(child, &status, 0);
    return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), "", read_text(err)};
}

SLOW_TEST(Signals, a_second_one_ends_the_tool_at_once_and_the_first_says_what_is_left) {
    // A small room with so many texels that only glance is done in a moment.
    const Folder folder;
    write_room(folder.path());
    const fs::path sheet = folder / "room.toml";
    std::string text = sheet_text;
    text.replace(text.find("density = 8\npage = 256"), 22, "density = 110\npage = 1024");
    text.replace(text.find("tier = \"glance\""), 15, "tier = \"final\"");
    write_bytes(sheet, text);
    for (const int number : {SIGINT, SIGTERM}) {
        // One stops at the next step of the work, and says that it can go on.
        const Ran one =
            signalled({"bake", sheet.string(), "--tier", "final", "--rebake"}, {{number, 1000000}});
        EXPECT_EQ(one.status, 130);
        EXPECT_NE(one.err.find("nothing was written"), std::string::npos) << one.err;
        EXPECT_NE(one.err.find("goes on from there"), std::string::npos) << one.err;
        const Ran two = signalled({"bake", sheet.string(), "--tier", "final", "--rebake"},
                                  {{number, 300000}, {number, 1000}});
        EXPECT_EQ(two.status, 130);
    }
    // After glance is written, that is said.
    const pid_t child = fork();
    const std::string err = (folder / "err").string();
    if (child == 0) {
        if (!std::freopen(err.c_str(), "w", stderr) || !std::freopen("/dev/null", "w", stdout)) _exit(1);
        execl(STASIGRAPH_TOOL_PATH, STASIGRAPH_TOOL_PATH, "bake", sheet.c_str(), "--time-limit", "500",
              nullptr);
        _exit(1);
    }
    for (int i = 0; i < 1200 && !fs::exists(folder / "baked/room/manifest.json"); ++i) usleep(50000);
    usleep(500000);
    kill(child, SIGINT);
    int status = 0;
    waitpid(child, &status, 0);
    EXPECT_EQ(WEXITSTATUS(status), 130);
    EXPECT_NE(read_text(err).find("glance is written to"), std::string::npos) << read_text(err);
    EXPECT_EQ(read_text(err).find("nothing was written"), std::string::npos);
}

}  // namespace
}  // namespace test::results_tests
