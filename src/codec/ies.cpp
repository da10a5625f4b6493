// Photometric files. ANSI/IES LM-63-2019, and its forerunners LM-63-1995 and -2002.

#include "codec/ies.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>

#include "base/text.hpp"
#include "stasigraph/error.hpp"

namespace stasigraph {

namespace {

constexpr float radians_per_degree = pi / 180;

/// Reads numbers and lines, and knows where it is.
class Reader {
public:
    Reader(const Bytes& bytes, std::string where)
        : text_(reinterpret_cast<const char*>(bytes.data()), bytes.size()), where_(std::move(where)) {}

    [[noreturn]] void fail(const std::string& what, const std::string& value = "") const {
        // After a whole line was read, the place is the start of the next one.
        const std::size_t until = at_ > 0 && text_[at_ - 1] == '\n' ? at_ - 1 : at_;
        throw Error{
            .what = "is no sound photometric file: " + what,
            .where = where_ + ":" +
                     std::to_string(1 + std::count(text_.begin(),
                                                   text_.begin() + static_cast<std::ptrdiff_t>(until), '\n')),
            .value = value,
            .remedy = "Get the file from the maker again (IES LM-63, type C or B)."};
    }
    bool at_end() const { return at_ >= text_.size(); }
    std::string line() {
        const std::size_t end = std::min(text_.find('\n', at_), text_.size());
        std::string l(text_.substr(at_, end - at_));
        at_ = std::min(end + 1, text_.size());
        while (!l.empty() && std::isspace(static_cast<unsigned char>(l.back()))) l.pop_back();
        l.erase(0, std::min(l.size(), l.find_first_not_of(" \t")));
        return l;
    }
    double number(const char* what) {
        while (at_ < text_.size() &&
               (std::isspace(static_cast<unsigned char>(text_[at_])) || text_[at_] == ','))
            ++at_;
        if (at_ >= text_.size()) fail(std::string("it ends before ") + what);
        std::size_t end = at_;
        while (end < text_.size() && !std::isspace(static_cast<unsigned char>(text_[end])) &&
               text_[end] != ',')
            ++end;
        std::string_view word = text_.substr(at_, end - at_);
        if (word.starts_with('+')) word.remove_prefix(1);
        double v = 0;
        const auto [rest, bad] = std::from_chars(word.data(), word.data() + word.size(), v);
        if (bad != std::errc() || rest != word.data() + word.size() || !std::isfinite(v))
            fail(std::string("no number where ") + what + " should be", std::string(word.substr(0, 40)));
        at_ = end;
        return v;
    }
    int count(const char* what, int low, int high) {
        const double v = number(what);
        if (v != std::floor(v) || v < low || v > high)
            fail(std::string(what) + " is out of range", to_text(v));
        return static_cast<int>(v);
    }
    std::vector<float> list(int n, const char* what, bool ascending) {
        std::vector<float> out;
        for (int i = 0; i < n; ++i) {
            out.push_back(static_cast<float>(number(what)));
            if (ascending && i > 0 && !(out[i] > out[i - 1]))
                fail(std::string(what) + " do not ascend", to_text(out[i - 1]) + " then " + to_text(out[i]));
        }
        return out;
    }
    bool more_numbers() {
        while (at_ < text_.size() && (std::isspace(static_cast<unsigned char>(text_[at_])) ||
                                      text_[at_] == ',' || text_[at_] == '\x1a'))
            ++at_;
        return !at_end();
    }

private:
    std::string_view text_;
    std::string where_;
    std::size_t at_ = 0;
};

bool near(float a, float b) {
    return std::abs(a - b) < 0.01f;
}

/// Mirrors rows about an angle: those of `from` at 2 * about - angle are added, in ascending order.
void mirror_rows(Profile& p, float about) {
    const std::size_t n = p.angle.size(), rows = p.plane.size();
    std::vector<std::pair<float, std::size_t>> order;
    for (std::size_t r = 0; r < rows; ++r) {
        order.push_back({p.plane[r], r});
        const float other = 2 * about - p.plane[r];
        if (!near(other, p.plane[r])) order.push_back({other, r});
    }
    std::sort(order.begin(), order.end());
    Profile out = p;
    out.plane.clear();
    out.candela.clear();
    for (const auto& [angle, row] : order) {
        if (!out.plane.empty() && near(angle, out.plane.back())) continue;
        out.plane.push_back(angle);
        out.candela.insert(out.candela.end(), p.candela.begin() + static_cast<std::ptrdiff_t>(row * n),
                           p.candela.begin() + static_cast<std::ptrdiff_t>((row + 1) * n));
    }
    p = std::move(out);
}

/// The same within each row.
void mirror_columns(Profile& p) {
    const std::size_t n = p.angle.size(), rows = p.plane.size();
    Profile out = p;
    out.angle.clear();
    out.candela.clear();
    for (std::size_t c = n; c-- > 1;) out.angle.push_back(-p.angle[c]);
    out.angle.insert(out.angle.end(), p.angle.begin(), p.angle.end());
    for (std::size_t r = 0; r < rows; ++r) {
        const float* row = &p.candela[r * n];
        for (std::size_t c = n; c-- > 1;) out.candela.push_back(row[c]);
        out.candela.insert(out.candela.end(), row, row + n);
    }
    p = std::move(out);
}

/// Brings the planes of type C to 0 to 360 degrees by the symmetry that their last angle names.
void unfold_c(Reader& in, Profile& p) {
    if (!near(p.angle.front(), 0) && !near(p.angle.front(), 90))
        in.fail("vertical angles of type C start at 0 or 90", to_text(p.angle.front()));
    if (p.angle.back() > 180.01f) in.fail("a vertical angle is over 180", to_text(p.angle.back()));
    const float first = p.plane.front(), last = p.plane.back();
    if (p.plane.size() == 1) {
        if (!near(first, 0)) in.fail("the only horizontal angle is not 0", to_text(first));
        return;
    }
    if (near(first, 90) && near(last, 270)) {
        // Alike on both sides of the plane 90-270: mirrored about 90, then brought round to 0 to 360.
        mirror_rows(p, 90);
        const std::size_t n = p.angle.size();
        std::vector<std::pair<float, std::size_t>> order;
        for (std::size_t r = 0; r < p.plane.size(); ++r)
            if (!near(p.plane[r], -90))
                order.push_back({p.plane[r] < -0.01f ? p.plane[r] + 360 : p.plane[r], r});
        std::sort(order.begin(), order.end());
        order.push_back({360, order.front().second});
        Profile out = p;
        out.plane.clear();
        out.candela.clear();
        for (const auto& [angle, row] : order) {
            out.plane.push_back(angle);
            out.candela.insert(out.candela.end(), p.candela.begin() + static_cast<std::ptrdiff_t>(row * n),
                               p.candela.begin() + static_cast<std::ptrdiff_t>((row + 1) * n));
        }
        if (!near(out.plane.front(), 0)) in.fail("horizontal angles have no plane at 180", "");
        p = std::move(out);
        return;
    }
    if (!near(first, 0)) in.fail("horizontal angles of type C start at 0 or 90", to_text(first));
    if (near(last, 90)) mirror_rows(p, 90);
    if (near(p.plane.back(), 180)) mirror_rows(p, 180);
    if (!near(p.plane.back(), 360))
        in.fail("horizontal angles of type C end at 0, 90, 180 or 360", to_text(last));
}

void unfold_b(Reader& in, Profile& p) {
    const auto half = [&](float first, float last, const char* which) {
        if (near(last, 90) && near(first, 0)) return true;
        if (near(last, 90) && near(first, -90)) return false;
        in.fail(std::string(which) + " angles of type B run from 0 or -90 to 90",
                to_text(first) + " to " + to_text(last));
    };
    if (p.plane.size() == 1) in.fail("type B needs more than one horizontal angle");
    if (half(p.plane.front(), p.plane.back(), "horizontal")) mirror_rows(p, 0);
    if (half(p.angle.front(), p.angle.back(), "vertical")) mirror_columns(p);
}

}  // namespace

float IesFile::tilt_factor(float degrees) const {
    if (tilt.empty()) return 1;
    if (degrees <= tilt.front()) return factor.front();
    for (std::size_t i = 1; i < tilt.size(); ++i)
        if (degrees <= tilt[i]) {
            const float t = (degrees - tilt[i - 1]) / (tilt[i] - tilt[i - 1]);
            return factor[i - 1] * (1 - t) + factor[i] * t;
        }
    return factor.back();
}

IesFile read_ies(const Bytes& bytes, const std::string& where) {
    Reader in(bytes, where);
    IesFile file;
    bool early = true;  // before 2002 the second factor of the last header line counts
    std::string tilt;
    for (int n = 0; tilt.empty(); ++n) {
        if (in.at_end()) in.fail("there is no TILT= line");
        const std::string line = in.line();
        if (n == 0 && (line.starts_with("IESNA:LM-63-2002") || line.starts_with("IES:LM-63-2019")))
            early = false;
        if (line.starts_with("TILT=") || line.starts_with("TILT =")) tilt = line.substr(line.find('=') + 1);
        if ((line.starts_with("TILT=") || line.starts_with("TILT =")) && tilt.empty())
            in.fail("TILT= says nothing", line);
    }
    tilt.erase(0, std::min(tilt.size(), tilt.find_first_not_of(" \t")));
    if (tilt == "INCLUDE") {
        in.count("the lamp-to-luminaire geometry", 1, 3);
        const int pairs = in.count("the number of tilt angles", 1, 1000);
        file.tilt = in.list(pairs, "tilt angles", true);
        file.factor = in.list(pairs, "tilt factors", false);
        for (float f : file.factor)
            if (f < 0) in.fail("a tilt factor is negative", to_text(f));
    } else if (tilt != "NONE") {
        in.fail("its tilt is in another file, which is not read: use TILT=NONE or TILT=INCLUDE", tilt);
    }
    in.count("the number of lamps", 1, 100000);
    in.number("the lumens of a lamp");
    const double multiplier = in.number("the candela multiplier");
    const int angles = in.count("the number of vertical angles", 2, 4096),
              planes = in.count("the number of horizontal angles", 1, 4096);
    const int type = in.count("the photometric type", 1, 3);
    if (type == 3) in.fail("it is of type A, which is not read: use type C");
    in.count("the unit of length", 1, 2);
    for (const char* what : {"the width", "the length", "the height"}) in.number(what);
    const double ballast = in.number("the ballast factor"), second = in.number("the second factor");
    in.number("the watts");
    const double scale = multiplier * ballast * (early ? second : 1.0);
    if (!(scale > 0 && scale < 1e9)) in.fail("its factors multiply to nothing", to_text(scale));
    Profile& p = file.profile;
    p.type_b = type == 2;
    p.angle = in.list(angles, "vertical angles", true);
    p.plane = in.list(planes, "horizontal angles", true);
    for (int i = 0; i < angles * planes; ++i) {
        const double v = in.number("all candela values") * scale;
        if (!(v >= 0)) in.fail("a candela value is negative", to_text(v));
        if (!(v < 1e9)) in.fail("a candela value is out of range", to_text(v));
        p.candela.push_back(static_cast<float>(v));
    }
    if (in.more_numbers()) in.fail("there is more in it than its counts of angles allow");
    if (p.type_b)
        unfold_b(in, p);
    else
        unfold_c(in, p);
    for (float& a : p.angle) a *= radians_per_degree;
    for (float& a : p.plane) a *= radians_per_degree;
    p.name = where;
    complete_profile(p);
    if (!(p.peak > 0 && p.lumens > 0)) in.fail("it sends no light");
    return file;
}

}  // namespace stasigraph
