#include "core/comparison/paired_run.h"

#include <fmt/format.h>
#include <poll.h>

#include <algorithm>
#include <chrono>

#include "core/support/error.h"
#include "core/support/pattern.h"

namespace lantern {
namespace {

constexpr std::uint64_t kFirstLook = 200'000;  // events; then whenever there are twice as many
constexpr std::uint64_t kMargin = 2'000;       // that must have come behind a parting
constexpr unsigned char kFilling = 0x5a;
// The C library fills what it gives out and takes back with this; 0: it does not. Of one length, so
// that everything else stays where it is.
constexpr std::string_view kTunables = "GLIBC_TUNABLES=glibc.malloc.perturb=";
constexpr std::string_view kNotFilled = "000", kFilled = "165";

}  // namespace

LaunchOptions launch_in(const LaunchOptions& launch, RunWay way) {
    LaunchOptions changed = launch;
    auto is_tunables = [](const std::string& each) { return each.starts_with("GLIBC_TUNABLES="); };
    if (std::ranges::none_of(changed.environment, is_tunables))
        changed.environment.push_back(std::string(kTunables) +
                                      std::string(way == RunWay::filled ? kFilled : kNotFilled));
    changed.randomise_addresses = way == RunWay::elsewhere;
    return changed;
}

namespace {

class PairedRunner {
  public:
    PairedRunner(const PairedRunRequest& request, PairedRun& result)
        : request_(request), result_(result) {}

    // One build, as it is and with memory filled that nothing has set.
    void run_filled() {
        prepare();
        walk({RunWay::as_it_is, RunWay::filled}, ~std::uint64_t{0}, result_.walks,
             [](const auto&) { return false; });
        result_.partings =
            find_parting({&result_.walks[0], &result_.walks[1]}, nullptr, {}, request_.thread);
    }

    void run() {
        prepare();
        CallSites sites({result_.symbols[0].get(), result_.symbols[1].get()}, result_.pairs);
        std::uint64_t look_at = kFirstLook;
        while (!look(sites, look_at)) look_at *= 4;
    }

  private:
    void prepare() {
        for (unsigned side : {0u, 1u})
            result_.symbols[side] = is_one_file() && side
                                        ? result_.symbols[0]
                                        : std::make_shared<const ModuleSymbols>(
                                              request_.launch[side].program, request_.search);
        BothBuilds builds{result_.symbols[0].get(), result_.symbols[1].get()};
        for (unsigned side : {0u, 1u})
            if (!builds[side]->has_debug_information())
                throw RequestError(
                    fmt::format("{} has no symbols to walk it by", request_.launch[side].program),
                    "compile it with -g");
        result_.pairs = pair_functions(builds, request_.libraries);
        auto& pairs = result_.pairs.pairs;
        Pattern wanted(request_.functions);
        std::erase_if(pairs, [&](const FunctionPair& pair) {
            return !wanted.matches(pair.name) && pair.name != request_.within;
        });
        if (pairs.empty()) throw RequestError("there is no function that both builds have");
        bool is_there =
            request_.within.empty() || std::ranges::any_of(pairs, [&](const FunctionPair& pair) {
                return pair.name == request_.within;
            });
        if (!is_there)
            throw RequestError(
                fmt::format("{} is no function that both builds have", request_.within));
        name_parameters(builds, pairs);
    }

    bool is_one_file() const { return request_.launch[0].program == request_.launch[1].program; }

    void require_thread() const {
        if (request_.thread.empty()) return;
        for (unsigned side : {0u, 1u})
            if (!result_.walks[side].thread_called(request_.thread))
                throw RequestError(fmt::format("{} has run no thread {} that was walked",
                                               "AB"[side], request_.thread),
                                   "leave --thread out: each thread is compared with its like");
    }

    // True: it is known where they part, or that they do not.
    bool look(CallSites& sites, std::uint64_t look_at) {
        std::array<const Walk*, 2> walks{&result_.walks[0], &result_.walks[1]};
        walk({RunWay::as_it_is, RunWay::as_it_is}, ~std::uint64_t{0}, result_.walks,
             [&](const auto& now) {
                 std::uint64_t events = std::min(now[0]->events.size(), now[1]->events.size());
                 if (events < look_at) return false;
                 look_at *= 2;
                 Parting parting = find_parting(now, &sites, {}, request_.thread).first_value;
                 return parting.kind != Parting::Kind::none &&
                        std::max(parting.event[0], parting.event[1]) + kMargin < events;
             });
        require_thread();
        result_.partings = find_parting(walks, &sites, {}, request_.thread);
        result_.is_checked = false;
        if (result_.partings.first.kind == Parting::Kind::none || !request_.runs_again ||
            result_.is_interrupted)
            return true;
        std::array<Unsteady, 2> unsteady;
        for (auto [way, why] : {std::pair{RunWay::as_it_is, Unsteadiness::run},
                                std::pair{RunWay::filled, Unsteadiness::unset},
                                std::pair{RunWay::elsewhere, Unsteadiness::address},
                                std::pair{RunWay::elsewhere, Unsteadiness::address}}) {
            std::uint64_t most =
                std::max(result_.walks[0].events.size(), result_.walks[1].events.size());
            std::array<Walk, 2> again;
            walk({way, way}, most, again, [](const auto&) { return false; });
            if (result_.is_interrupted) return true;
            for (unsigned side : {0u, 1u})
                mark_unsteady(result_.walks[side], again[side], side, &sites, why, unsteady[side]);
        }
        result_.partings =
            find_parting(walks, &sites, {&unsteady[0], &unsteady[1]}, request_.thread);
        result_.is_checked = true;
        return result_.partings.first_value.kind != Parting::Kind::none ||
               (result_.walks[0].is_whole && result_.walks[1].is_whole);
    }

    void walk(const std::array<RunWay, 2>& ways, std::uint64_t most, std::array<Walk, 2>& walks,
              const std::function<bool(const std::array<const Walk*, 2>&)>& is_enough) {
        std::array<std::unique_ptr<WalkProcess>, 2> walkers;
        for (unsigned side : {0u, 1u}) {
            RunWay way = ways[side];
            LaunchOptions launch = launch_in(request_.launch[side], way);
            WalkRequest wish{
                &launch, &request_.search, result_.symbols[side], &result_.pairs.pairs, {}};
            wish.options.side = side;
            wish.options.within = request_.within;
            wish.options.most_events = most;
            if (way != RunWay::as_it_is || result_.runs[side]) {
                // What it writes has been kept in the first run.
                launch.output_file = launch.error_file = "/dev/null";
            }
            if (way == RunWay::filled) {
                wish.options.fill = kFilling;
                wish.options.filled = result_.pairs.all[side];
            }
            walkers[side] = std::make_unique<WalkProcess>(wish);
            ++result_.runs[side];
        }
        std::array<const Walk*, 2> now{&walkers[0]->walk(), &walkers[1]->walk()};
        std::array<bool, 2> goes{true, true};
        auto told = std::chrono::steady_clock::now();
        while (goes[0] || goes[1]) {
            std::array<pollfd, 2> waits{};
            for (unsigned side : {0u, 1u})
                waits[side] = {goes[side] ? walkers[side]->descriptor() : -1, POLLIN, 0};
            constexpr int kLongestWait = 100;  // milliseconds
            poll(waits.data(), waits.size(), kLongestWait);
            for (unsigned side : {0u, 1u})
                if (goes[side] && waits[side].revents) goes[side] = walkers[side]->read_news();
            auto clock = std::chrono::steady_clock::now();
            if (request_.progress && clock - told > std::chrono::milliseconds(kLongestWait)) {
                told = clock;
                if (request_.progress(now[0]->events.size() + now[1]->events.size(),
                                      result_.runs[0])) {
                    result_.is_interrupted = true;
                    break;
                }
            }
            if (is_enough(now)) break;
        }
        // Ctrl-C may have ended the walkers before we heard of it.
        if (request_.progress)
            result_.is_interrupted |=
                request_.progress(now[0]->events.size() + now[1]->events.size(), result_.runs[0]);
        bool has_ended_early = !goes[0] && !goes[1] && most == ~std::uint64_t{0} &&
                               (!now[0]->is_whole || !now[1]->is_whole);
        result_.is_interrupted |= has_ended_early;
        for (unsigned side : {0u, 1u}) walks[side] = walkers[side]->take_walk();
    }

    const PairedRunRequest& request_;
    PairedRun& result_;
};

}  // namespace

PairedRun run_filled(const PairedRunRequest& request, unsigned side) {
    PairedRun result;
    PairedRunRequest own = request;
    own.launch[1 - side] = own.launch[side];
    own.functions.clear();
    for (LaunchOptions& launch : own.launch) launch.output_file = launch.error_file = "/dev/null";
    PairedRunner(own, result).run_filled();
    return result;
}

PairedRun run_paired(const PairedRunRequest& request) {
    PairedRun result;
    PairedRunner(request, result).run();
    return result;
}

}  // namespace lantern
