#pragma once
// One array in a store.

#include <string>

#include "base/blob.hpp"

namespace stasigraph {

/// False, and anything in the array, where the store does not have it.
template <class T>
bool load_kept(const BakeStore& store, const std::string& name, std::vector<T>& array) {
    Blob blob;
    if (!store.load || !store.load(name, blob)) return false;
    BlobReader in(blob);
    in.array(array);
    return in.done();
}
/// The same of a length that is known.
template <class T>
bool load_kept(const BakeStore& store, const std::string& name, std::vector<T>& array, std::size_t count) {
    return load_kept(store, name, array) && array.size() == count;
}
template <class T>
void save_kept(const BakeStore& store, const std::string& name, const std::vector<T>& array) {
    if (!store.save) return;
    BlobWriter out;
    out.array(array);
    store.save(name, out.parts());
}

}  // namespace stasigraph
