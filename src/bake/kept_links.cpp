#include "bake/kept_links.hpp"

#include <algorithm>

namespace stasigraph {

namespace {

void write(BlobWriter& out, const LinkPiece& piece) {
    out.array(piece.words.all());
    out.array(piece.start);
    out.array(piece.back);
    out.array(piece.far);
    out.array(piece.tints);
    out.array(piece.first_tint);
}

bool read(BlobReader& in, std::size_t rows, LinkPiece& piece, std::span<const std::uint32_t>& words) {
    words = in.view<std::uint32_t>();
    in.array(piece.start, rows + 1);
    in.array(piece.back, rows);
    in.array(piece.far, rows);
    in.array(piece.tints);
    in.array(piece.first_tint);
    return in.good() && piece.start.front() == 0 && piece.start.back() == words.size() &&
           std::is_sorted(piece.start.begin(), piece.start.end()) &&
           (piece.first_tint.empty() ||
            (piece.first_tint.size() == rows + 1 && piece.first_tint.back() == piece.tints.size()));
}

}  // namespace

std::string piece_name(const char* kind, const std::string& key, std::size_t piece) {
    return std::string(kind) + "-" + key + "-" + std::to_string(piece);
}

void save_piece(const BakeStore& store, const std::string& name, Links& links, std::size_t piece) {
    if (!store.save) return;
    BlobWriter out;
    write(out, links.pieces[piece]);
    out.array(links.hit_error);
    store.save(name, out.parts());
    load_piece(store, name, links, piece);
}

bool load_piece(const BakeStore& store, const std::string& name, Links& links, std::size_t piece) {
    Blob blob;
    if (!store.load || !store.load(name, blob)) return false;
    BlobReader in(blob);
    LinkPiece kept;
    std::span<const std::uint32_t> words;
    if (!read(in, links.pieces[piece].rows(), kept, words)) return false;
    std::vector<float> hit_error;
    in.array(hit_error);
    if (!in.done()) return false;
    kept.words = LinkWords(words, blob.keep, blob.rest);
    if (links.in_memory > 0) kept.words.rest();
    links.pieces[piece] = std::move(kept);
    links.raise_hit_error(hit_error);
    return true;
}

Links load_links(const BakeStore& store, const std::string& unlit, std::size_t rows,
                 std::uint64_t in_memory) {
    Links links(rows);
    links.in_memory = in_memory;
    for (std::size_t p = 0; p < links.pieces.size(); ++p)
        load_piece(store, piece_name("links", unlit, p), links, p);
    return links;
}

void write_links(BlobWriter& out, const Links& links) {
    for (const LinkPiece& piece : links.pieces) write(out, piece);
}

bool read_links(BlobReader& in, std::size_t rows, Links& links) {
    links = Links(rows);
    for (LinkPiece& piece : links.pieces) {
        std::span<const std::uint32_t> words;
        if (!read(in, piece.rows(), piece, words)) return false;
        piece.words = LinkWords({words.begin(), words.end()});
    }
    return true;
}

}  // namespace stasigraph
