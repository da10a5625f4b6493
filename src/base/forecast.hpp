#pragma once
// How long work still takes, from what its parts were expected to cost and what they took so far.

#include <algorithm>
#include <string>
#include <string_view>
#include <vector>

namespace stasigraph {

/// What a forecast was told, to be told again: by tests, of what happened once.
struct ForecastEvent {
    enum class Kind { plan, again, running, finished } kind = Kind::plan;
    std::string stage;
    double value = 0;    ///< Cost, share, or seconds that the stage took.
    double seconds = 0;  ///< Since the plan was made.
};

/// Stages with a cost each, in any unit common to them. What is left is priced by what the part done so far
/// took: a machine twice as slow as thought is found out after the first seconds.
class Forecast {
public:
    void plan(std::string_view stage, double cost) {
        for (Stage& s : stages_)
            if (s.name == stage) {
                s.cost = cost;
                return;
            }
        stages_.push_back({std::string(stage), cost});
    }
    void clear() { stages_.clear(); }
    /// The running stage, and the share of it that is done.
    void running(std::string_view stage, double share) {
        for (Stage& s : stages_)
            if (s.name == stage) s.done = std::max(s.done, std::min(share, 1.0));
    }
    void finished(std::string_view stage, double seconds) {
        running(stage, 1);
        for (Stage& s : stages_)
            if (s.name == stage) s.seconds += seconds;
    }
    /// Whether a stage is planned and not begun.
    bool expects(std::string_view stage) const {
        return std::any_of(stages_.begin(), stages_.end(),
                           [&](const Stage& s) { return s.name == stage && s.done == 0; });
    }
    /// Of a planned stage; 0 of others.
    double cost(std::string_view stage) const {
        for (const Stage& s : stages_)
            if (s.name == stage) return s.cost;
        return 0;
    }
    /// A stage of which less is done than was thought, as it comes once more.
    void again(std::string_view stage) {
        for (Stage& s : stages_)
            if (s.name == stage) s.done = 0;
    }

    /// Share of the whole cost that is done; 0 without a plan.
    double done() const {
        double sum = 0, whole = 0;
        for (const Stage& s : stages_) {
            sum += s.cost * s.done;
            whole += s.cost;
        }
        return whole > 0 ? sum / whole : 0;
    }
    /// What a unit of cost took so far; 1 while nothing tells.
    double pace(double seconds) const {
        double sum = 0;
        for (const Stage& s : stages_) {
            sum += s.cost * s.done;
            if (!(s.cost > 0)) seconds -= s.seconds;
        }
        return sum > 0 && seconds > 0 ? seconds / sum : 1;
    }
    /// Seconds left after this many; negative while too little is done to tell. Stages without a cost tell
    /// nothing of the others, whatever they took.
    double left(double seconds) const {
        constexpr double least = 0.02;
        for (const Stage& s : stages_)
            if (!(s.cost > 0)) seconds -= s.seconds;
        const double d = done();
        return d > least ? std::max(0.0, seconds) * (1 - d) / d : -1;
    }

    void tell(const ForecastEvent& e) {
        using Kind = ForecastEvent::Kind;
        if (e.kind == Kind::plan) plan(e.stage, e.value);
        if (e.kind == Kind::again) again(e.stage);
        if (e.kind == Kind::running) running(e.stage, e.value);
        if (e.kind == Kind::finished) finished(e.stage, e.value);
    }

private:
    struct Stage {
        std::string name;
        double cost = 0, done = 0, seconds = 0;
    };
    std::vector<Stage> stages_;
};

class Job;
/// Everything the job's forecast is told from now on.
void record_forecast(Job& job, std::vector<ForecastEvent>& into);

}  // namespace stasigraph
