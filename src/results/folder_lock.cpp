#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include "stasigraph/error.hpp"
#include "stasigraph/io.hpp"

namespace fs = std::filesystem;

namespace stasigraph {

FolderLock::FolderLock(const fs::path& folder) {
    check_writable(folder);
    file_ = open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (file_ < 0) return;  // a file system without locks: as if alone
    if (flock(file_, LOCK_EX | LOCK_NB) == 0) return;
    close(file_);
    throw Error{.what = "another bake is writing there",
                .where = folder.string(),
                .value = "",
                .remedy = "Wait until it is done, or give this one another folder with --out."};
}

FolderLock::~FolderLock() {
    if (file_ >= 0) close(file_);  // and so unlocks it, as the end of a killed process does
}

}  // namespace stasigraph
