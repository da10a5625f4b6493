#include "gltf/gltf_file.hpp"

#include <algorithm>
#include <cstring>

namespace fs = std::filesystem;

namespace stasigraph {

namespace {

constexpr std::uint32_t glb_magic = 0x46546c67, json_chunk = 0x4e4f534a, binary_chunk = 0x004e4942;

std::uint32_t word_at(const Bytes& bytes, std::size_t at) {
    std::uint32_t v;
    std::memcpy(&v, bytes.data() + at, 4);
    return v;
}

Json parse_json(const char* first, const char* last, const std::string& where) {
    try {
        return Json::parse(first, last);
    } catch (const nlohmann::json::exception& e) {
        throw Error{.what = "is not valid JSON",
                    .where = where,
                    .value = e.what(),
                    .remedy = "The file is damaged; export it again."};
    }
}

/// JSON and the binary chunk of a .glb.
void split_glb(const Bytes& bytes, const std::string& where, Json& json, Bytes& binary) {
    const auto broken = [&](const std::string& what) {
        throw Error{.what = what,
                    .where = where,
                    .value = std::to_string(bytes.size()) + " bytes",
                    .remedy = "The file is truncated or damaged; export it again."};
    };
    if (bytes.size() < 20) broken("is too short for a .glb");
    if (word_at(bytes, 4) != 2) broken("is not glTF version 2");
    const std::size_t length = word_at(bytes, 8);
    if (length > bytes.size()) broken("says it has " + std::to_string(length) + " bytes");
    bool found = false;
    for (std::size_t at = 12; at + 8 <= length;) {
        const std::size_t size = word_at(bytes, at);
        const std::uint32_t kind = word_at(bytes, at + 4);
        if (size > length - at - 8) broken("has a chunk that runs past its end");
        const char* data = reinterpret_cast<const char*>(bytes.data()) + at + 8;
        if (kind == json_chunk && !found) {
            json = parse_json(data, data + size, where);
            found = true;
        } else if (kind == binary_chunk && binary.empty()) {
            binary.assign(data, data + size);
        }
        at += 8 + size;
    }
    if (!found) broken("has no JSON chunk");
}

Bytes decode_base64(std::string_view text, const JsonNode& place) {
    Bytes out;
    std::uint32_t bits = 0;
    int have = 0;
    for (const char c : text) {
        int v;
        if (c >= 'A' && c <= 'Z')
            v = c - 'A';
        else if (c >= 'a' && c <= 'z')
            v = c - 'a' + 26;
        else if (c >= '0' && c <= '9')
            v = c - '0' + 52;
        else if (c == '+')
            v = 62;
        else if (c == '/')
            v = 63;
        else if (c == '=')
            break;
        else
            throw Error{.what = "holds base64 with a bad character",
                        .where = place.where(),
                        .value = std::string(1, c),
                        .remedy = "Export the file again."};
        bits = (bits << 6) | static_cast<std::uint32_t>(v);
        if ((have += 6) >= 8) {
            have -= 8;
            out.push_back(static_cast<std::uint8_t>(bits >> have));
        }
    }
    return out;
}

std::string decode_percent(const std::string& uri) {
    std::string out;
    for (std::size_t i = 0; i < uri.size(); ++i) {
        if (uri[i] == '%' && i + 2 < uri.size() && std::isxdigit(static_cast<unsigned char>(uri[i + 1])) &&
            std::isxdigit(static_cast<unsigned char>(uri[i + 2]))) {
            out += static_cast<char>(std::stoi(uri.substr(i + 1, 2), nullptr, 16));
            i += 2;
        } else {
            out += uri[i];
        }
    }
    return out;
}

Bytes read_uri(const fs::path& gltf, const std::string& uri, const JsonNode& place) {
    if (uri.starts_with("data:")) {
        const std::size_t comma = uri.find(',');
        if (comma == std::string::npos || uri.substr(0, comma).find(";base64") == std::string::npos)
            place.fail("is a data URI without base64");
        return decode_base64(std::string_view(uri).substr(comma + 1), place);
    }
    return read_file(referenced_file(gltf.parent_path(), decode_percent(uri), place.where()));
}

std::span<const std::uint8_t> view_bytes(const GltfFile& file, std::uint32_t view,
                                         std::size_t* stride = nullptr) {
    const JsonNode v = file.root()["bufferViews"][view];
    const Bytes& buffer = file.buffers[v["buffer"].index(file.buffers.size())];
    const std::uint64_t offset = v["byteOffset"].count(0), length = v["byteLength"].count(0);
    if (offset > buffer.size() || length > buffer.size() - offset)
        v.fail("runs past the end of its buffer of " + std::to_string(buffer.size()) + " bytes");
    if (stride) *stride = static_cast<std::size_t>(v["byteStride"].count(0, 252));
    return {buffer.data() + offset, static_cast<std::size_t>(length)};
}

}  // namespace

GltfFile read_gltf(const fs::path& path) {
    GltfFile file{.path = path, .json = {}, .buffers = {}, .files = {}, .hash = {}};
    const Bytes bytes = read_file(path);
    const std::string where = path.filename().string();
    Bytes binary;
    if (bytes.size() >= 4 && word_at(bytes, 0) == glb_magic) {
        split_glb(bytes, where, file.json, binary);
    } else {
        const char* first = reinterpret_cast<const char*>(bytes.data());
        file.json = parse_json(first, first + bytes.size(), where);
    }
    const JsonNode root = file.root();
    if (!file.json.is_object()) root.fail("is not a glTF document");
    const JsonNode asset = root["asset"];
    if (!asset || !asset["version"].text("").starts_with("2.")) asset.fail("does not say version 2.x");
    // Extras of others may be anything.
    const Json& said = asset.json();
    if (said.contains("extras") && said["extras"].is_object() &&
        said["extras"].value("colours", Json()) == "baked light")
        throw Error{.what = "this is a preview: the light of a bake is in its colours",
                    .where = where,
                    .value = "",
                    .remedy = "Bake the scene it was made from."};
    std::string hashes = hash_text(bytes);
    const JsonNode buffers = root["buffers"];
    for (std::size_t i = 0; i < buffers.size(); ++i) {
        const JsonNode uri = buffers[i]["uri"];
        if (uri) {
            file.buffers.push_back(read_uri(path, uri.text(""), uri));
            if (!uri.text("").starts_with("data:")) hashes += hash_text(file.buffers.back());
        } else {
            file.buffers.push_back(i == 0 ? std::move(binary) : Bytes{});
        }
        const std::uint64_t length = buffers[i]["byteLength"].count(0);
        if (file.buffers[i].size() < length)
            buffers[i].fail("has " + std::to_string(file.buffers[i].size()) +
                            " bytes, fewer than its byteLength");
    }
    file.hash = hash_text(hashes);
    for (const char* list : {"buffers", "images"})
        for (std::size_t i = 0; i < root[list].size(); ++i)
            if (const JsonNode uri = root[list][i]["uri"]; uri && !uri.text("").starts_with("data:"))
                file.files.push_back(
                    referenced_file(path.parent_path(), decode_percent(uri.text("")), uri.where()));
    return file;
}

AccessorView view_accessor(const GltfFile& file, std::uint32_t index) {
    const JsonNode a = file.root()["accessors"][index];
    AccessorView view{.where = a.where()};
    view.component_type = static_cast<int>(a["componentType"].count(0));
    switch (view.component_type) {
        case 5120:
        case 5121:
            view.component_bytes = 1;
            break;
        case 5122:
        case 5123:
            view.component_bytes = 2;
            break;
        case 5125:
        case 5126:
            view.component_bytes = 4;
            break;
        default:
            a["componentType"].fail("is no component type of glTF");
    }
    const std::string type = a["type"].text("");
    const std::pair<const char*, int> types[] = {{"SCALAR", 1}, {"VEC2", 2}, {"VEC3", 3}, {"VEC4", 4},
                                                 {"MAT2", 4},   {"MAT3", 9}, {"MAT4", 16}};
    for (const auto& [name, n] : types)
        if (type == name) view.components = n;
    if (view.components == 0) a["type"].fail("is no accessor type of glTF");
    if (a["sparse"]) a["sparse"].fail("is used; sparse accessors are not supported");
    view.count = static_cast<std::size_t>(a["count"].count(0, 1u << 30));
    view.normalized = a["normalized"].flag(false);
    view.stride = view.element_bytes();
    if (!a["bufferView"]) return view;
    std::size_t stride = 0;
    const std::span<const std::uint8_t> bytes =
        view_bytes(file, a["bufferView"].index(file.root()["bufferViews"].size()), &stride);
    if (stride != 0) view.stride = stride;
    if (view.stride < view.element_bytes()) a.fail("has elements larger than its stride");
    const std::uint64_t offset = a["byteOffset"].count(0);
    const std::uint64_t need =
        view.count == 0 ? 0 : offset + (view.count - 1) * view.stride + view.element_bytes();
    if (need > bytes.size())
        a.fail("needs " + std::to_string(need) + " bytes of a view of " + std::to_string(bytes.size()));
    view.data = bytes.data() + offset;
    return view;
}

float AccessorView::number(std::size_t i, int c) const {
    if (!data) return 0;
    const std::uint8_t* p = data + i * stride + static_cast<std::size_t>(c) * component_bytes;
    const auto read = [p]<class T>(T v) {
        std::memcpy(&v, p, sizeof v);
        return v;
    };
    const auto scaled = [this](float v, float most) { return normalized ? std::max(v / most, -1.0f) : v; };
    switch (component_type) {
        case 5120:
            return scaled(static_cast<float>(read(std::int8_t{})), 127);
        case 5121:
            return scaled(static_cast<float>(read(std::uint8_t{})), 255);
        case 5122:
            return scaled(static_cast<float>(read(std::int16_t{})), 32767);
        case 5123:
            return scaled(static_cast<float>(read(std::uint16_t{})), 65535);
        case 5125:
            return static_cast<float>(read(std::uint32_t{}));
        default:
            return read(float{});
    }
}

std::uint32_t AccessorView::whole(std::size_t i) const {
    if (!data) return 0;
    const std::uint8_t* p = data + i * stride;
    if (component_bytes == 1) return *p;
    if (component_bytes == 2) {
        std::uint16_t v;
        std::memcpy(&v, p, 2);
        return v;
    }
    std::uint32_t v;
    std::memcpy(&v, p, 4);
    return v;
}

Bytes image_bytes(const GltfFile& file, std::uint32_t image) {
    const JsonNode i = file.root()["images"][image];
    if (i["bufferView"]) {
        const auto bytes = view_bytes(file, i["bufferView"].index(file.root()["bufferViews"].size()));
        return {bytes.begin(), bytes.end()};
    }
    if (!i["uri"]) i.fail("has neither a bufferView nor a uri");
    return read_uri(file.path, i["uri"].text(""), i["uri"]);
}

Bytes pack_glb(const Json& json, const Bytes& binary) {
    std::string text = json.dump();
    while (text.size() % 4) text += ' ';
    const std::size_t padded = (binary.size() + 3) / 4 * 4;
    Bytes out;
    const auto word = [&](std::size_t v) {
        for (int k = 0; k < 4; ++k) out.push_back(static_cast<std::uint8_t>(v >> (8 * k)));
    };
    word(glb_magic);
    word(2);
    word(12 + 8 + text.size() + (binary.empty() ? 0 : 8 + padded));
    word(text.size());
    word(json_chunk);
    out.insert(out.end(), text.begin(), text.end());
    if (!binary.empty()) {
        word(padded);
        word(binary_chunk);
        out.insert(out.end(), binary.begin(), binary.end());
        out.resize(out.size() + padded - binary.size(), 0);
    }
    return out;
}

}  // namespace stasigraph
